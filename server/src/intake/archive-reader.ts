import type { Readable } from 'node:stream';
import { promisify } from 'node:util';
import { crc32 } from 'node:zlib';
import { type ArchiveEntry, decodeEntryName } from '@uniferum/core';
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
  entries: DirectoryEntry[];
  /** Opens an entry's bytes. A size that is not the stated one is an error of the stream. */
  read(entry: DirectoryEntry): Promise<Readable>;
  close(): void;
}

/**
 * Opens a zip archive, also one of zip64, and reads its directory.
 *
 * @param maxEntries beyond it nothing is read; the result then has one entry more
 * @throws Error when it is no archive, or its directory is broken or cut off
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
      entries: await readDirectory(zip, maxEntries),
      read: (entry) =>
        new Promise((resolve, reject) => {
          zip.openReadStream(entry.source, (error, stream) => {
            if (error) {
              reject(error);
              return;
            }
            // A size that lies is found while it is read, or before anybody reads: whoever does meets the error.
            stream.on('error', () => {});
            resolve(stream);
          });
        }),
      close: () => zip.close(),
    };
  } catch (error) {
    zip.close();
    throw error;
  }
}

function readDirectory(zip: ZipFile, maxEntries: number): Promise<DirectoryEntry[]> {
  if (zip.entryCount > maxEntries) return Promise.resolve(new Array(zip.entryCount).fill(PLACEHOLDER));
  const entries: DirectoryEntry[] = [];
  return new Promise((resolve, reject) => {
    zip.on('error', reject);
    zip.on('end', () => resolve(entries));
    zip.on('entry', (entry: Entry) => {
      entries.push(describe(entry));
      zip.readEntry();
    });
    zip.readEntry();
  });
}

/** Stands for entries that were not read because there are too many; only their number counts. */
const PLACEHOLDER = Object.freeze({ name: '' }) as DirectoryEntry;

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
