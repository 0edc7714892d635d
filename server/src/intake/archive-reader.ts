import { createReadStream } from 'node:fs';
import { pipeline, Readable, Transform, type TransformCallback } from 'node:stream';
import { promisify } from 'node:util';
import { crc32, createInflateRaw } from 'node:zlib';
import { type ArchiveEntry, decodeEntryName } from '@uniferum/core/intake';
import yauzl, { type Entry, type ZipFile } from 'yauzl';

/** An entry as the archive's directory states it, with what reading it needs. */
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
  /** Empty when there are more than were wanted. */
  entries: DirectoryEntry[];
  /** How many entries the archive says that it has. It is only a number in a file: nothing is made ready by it. */
  statedEntries: number;
  /** Opens an entry's bytes. A size that is not the stated one is an error of the stream. */
  read(entry: DirectoryEntry): Promise<Readable>;
  close(): void;
}

/**
 * Opens a zip archive, also one of zip64, and reads its directory.
 *
 * @param maxEntries with more of them nothing is read of its directory
 * @throws Error when it is no archive, or its directory is broken, cut off or too large
 */
export async function openArchive(path: string, maxEntries: number): Promise<OpenArchive> {
  const zip = await openZip(path, {
    autoClose: false,
    lazyEntries: true,
    // Names are decoded and judged here: one unsafe name refuses the archive with its name.
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
 * Opens the bytes of an entry with a stream of its own: those of the library share a file, and one that is given up while
 * another waits for its turn leaves all of them waiting.
 */
async function openEntry(zip: ZipFile, path: string, { name, bytes, source, ...entry }: DirectoryEntry) {
  if (!entry.isReadable || entry.isEncrypted) throw new Error(`${name} can't be unpacked`);
  const { fileDataStart: start } = await zip.readLocalFileHeaderPromise(source, { minimal: true });
  const packed =
    source.compressedSize === 0
      ? Readable.from([])
      : createReadStream(path, { start, end: start + source.compressedSize - 1 });
  const whole = new ExactSize(bytes);
  // Whoever reads it meets what fails; that it ends without having been read is no fault.
  const end = () => {};
  if (source.compressionMethod === 0) pipeline(packed, whole, end);
  else pipeline(packed, createInflateRaw(), whole, end);
  // A size that lies is found before anybody reads, too.
  whole.on('error', () => {});
  return whole;
}

/** Passes bytes on and fails when they are more or fewer than stated. */
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

/** Names and extra fields of an honest directory take about a hundred bytes for each entry. */
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
  // Version 1, then the CRC-32 of the name that it stands for: another one means that the name was changed since.
  if (unicode && unicode.length > 5 && unicode[0] === 1 && unicode.readUInt32LE(1) === crc32(raw))
    return decodeEntryName(unicode.subarray(5), true);
  return decodeEntryName(raw, (entry.generalPurposeBitFlag & UTF8_FLAG) !== 0);
}
