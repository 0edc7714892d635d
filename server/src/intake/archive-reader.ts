import { createReadStream } from 'node:fs';
import { pipeline, Readable, Transform, type TransformCallback } from 'node:stream';
import { promisify } from 'node:util';
import { crc32, createInflateRaw } from 'node:zlib';
import { type ArchiveEntry, decodeEntryName } from '@uniferum/core/intake';
import yauzl, { type Entry, type ZipFile } from 'yauzl';

/** An entry from the archive's directory, with what is needed to read it. */
export interface DirectoryEntry extends ArchiveEntry {
  crc32: string;
  source: Entry;
}

const FILE_TYPE_BITS = 0o170000;
const SYMBOLIC_LINK = 0o120000;
/** General purpose bit 11: names are UTF-8. APPNOTE 4.4.4. */
const UTF8_FLAG = 0x800;
/** Info-ZIP's Unicode Path extra field. APPNOTE 4.6.9. */
const UNICODE_PATH = 0x7075;

const openZip = promisify(
  (path: string, options: object, done: (error: Error | null, zip: ZipFile) => void) =>
    yauzl.open(path, options, done as never),
);

/** An open archive. `close` it. */
export interface OpenArchive {
  /** Empty when there are more entries than allowed. */
  entries: DirectoryEntry[];
  /** The number of entries stated by the archive. Nothing is allocated by it. */
  statedEntries: number;
  /** Opens an entry's bytes. The stream fails if their size is not the stated one. */
  read(entry: DirectoryEntry): Promise<Readable>;
  close(): void;
}

/**
 * Opens a zip or zip64 archive and reads its directory.
 *
 * @param maxEntries with more entries, the directory is not read
 * @throws Error when it is not an archive, or its directory is corrupt, truncated or too large
 */
export async function openArchive(path: string, maxEntries: number): Promise<OpenArchive> {
  const zip = await openZip(path, {
    autoClose: false,
    lazyEntries: true,
    // Names are decoded and checked here: one unsafe name rejects the whole archive and is reported.
    decodeStrings: false,
    validateEntrySizes: true,
  });
  try {
    return {
      entries: zip.entryCount > maxEntries ? [] : await readDirectory(zip),
      statedEntries: zip.entryCount,
      read: (entry) => openEntry(zip, path, entry),
      close: () => zip.close(),
    };
  } catch (error) {
    zip.close();
    throw error;
  }
}

/**
 * Opens an entry's bytes with a stream of its own. The library's streams share one file, and abandoning one while
 * another waits for its turn would block them all.
 */
async function openEntry(zip: ZipFile, path: string, { name, bytes, source, ...entry }: DirectoryEntry) {
  if (!entry.isReadable || entry.isEncrypted) throw new Error(`${name} can't be unpacked`);
  const { fileDataStart: start } = await zip.readLocalFileHeaderPromise(source, { minimal: true });
  const packed =
    source.compressedSize === 0
      ? Readable.from([])
      : createReadStream(path, { start, end: start + source.compressedSize - 1 });
  const whole = new ExactSize(bytes);
  // The reader handles errors; ending without having been read is not an error.
  const end = () => {};
  if (source.compressionMethod === 0) pipeline(packed, whole, end);
  else pipeline(packed, createInflateRaw(), whole, end);
  // An empty entry with a wrong stated size fails here, too.
  whole.on('error', () => {});
  return whole;
}

/** Passes bytes through and fails when there are more or fewer than stated. */
class ExactSize extends Transform {
  readonly #stated: number;
  #bytes = 0;

  constructor(stated: number) {
    super();
    this.#stated = stated;
  }

  override _transform(chunk: Buffer, _encoding: string, done: TransformCallback): void {
    this.#bytes += chunk.length;
    if (this.#bytes > this.#stated)
      done(new Error(`it has more bytes than the ${this.#stated} that its archive states`));
    else done(null, chunk);
  }

  override _flush(done: TransformCallback): void {
    done(
      this.#bytes < this.#stated
        ? new Error(`it has ${this.#bytes} bytes, and its archive states ${this.#stated}`)
        : null,
    );
  }
}

/** In an honest directory, names and extra fields take about a hundred bytes per entry. */
const MAX_DIRECTORY_BYTES = 64_000_000;

function readDirectory(zip: ZipFile): Promise<DirectoryEntry[]> {
  const entries: DirectoryEntry[] = [];
  let bytes = 0;
  return new Promise((resolve, reject) => {
    zip.on('error', reject);
    zip.on('end', () => resolve(entries));
    zip.on('entry', (entry: Entry) => {
      bytes += entry.fileNameLength + entry.extraFieldLength + entry.fileCommentLength;
      if (bytes > MAX_DIRECTORY_BYTES) {
        reject(new Error(`its directory has more than ${MAX_DIRECTORY_BYTES} bytes`));
        return;
      }
      entries.push(describe(entry));
      zip.readEntry();
    });
    zip.readEntry();
  });
}

function describe(entry: Entry): DirectoryEntry {
  const method = entry.compressionMethod;
  return {
    name: readName(entry),
    bytes: entry.uncompressedSize,
    compressedBytes: entry.compressedSize,
    offset: entry.relativeOffsetOfLocalHeader,
    isEncrypted: (entry.generalPurposeBitFlag & 1) === 1,
    isLink: ((entry.externalFileAttributes >>> 16) & FILE_TYPE_BITS) === SYMBOLIC_LINK,
    isReadable: method === 0 || method === 8,
    crc32: (entry.crc32 >>> 0).toString(16).padStart(8, '0'),
    source: entry,
  };
}

function readName(entry: Entry): string {
  const raw = entry.fileName as unknown as Buffer;
  const unicode = entry.extraFields?.find(({ id }) => id === UNICODE_PATH)?.data;
  // Version 1, then the CRC-32 of the name it stands for; a mismatch means that the name was changed later.
  if (unicode && unicode.length > 5 && unicode[0] === 1 && unicode.readUInt32LE(1) === crc32(raw))
    return decodeEntryName(unicode.subarray(5), true);
  return decodeEntryName(raw, (entry.generalPurposeBitFlag & UTF8_FLAG) !== 0);
}
