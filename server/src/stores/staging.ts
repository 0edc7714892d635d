import { createHash } from 'node:crypto';
import type { BigIntStats } from 'node:fs';
import { closeSync, fstatSync, fsync, openSync, readFileSync } from 'node:fs';
import { constants, copyFile, type FileHandle, link, open, stat } from 'node:fs/promises';
import type { Readable } from 'node:stream';
import { promisify } from 'node:util';
import { crc32 } from 'node:zlib';
import { SNIFF_BYTES } from '@uniferum/core/intake';
import type { ByteFacts, FileIdentity } from '../shared/byte-store.js';

/** Few large writes cost less than many small ones: network chunks are buffered up to this size. */
const GATHER_BYTES = 1024 * 1024;
/** Up to this size a file is copied on the main thread. */
const SMALL_BYTES = 512 * 1024;

export interface Pass {
  facts: ByteFacts;
  isWhole: boolean;
}

/** Writes, hashes, counts and sniffs the bytes in one pass. Writing a chunk overlaps with hashing it. */
export async function onePass(
  stream: Readable,
  write: (chunk: Buffer, position: number) => Promise<void>,
  limitBytes: number,
): Promise<Pass> {
  const hash = createHash('sha256');
  const head = Buffer.alloc(SNIFF_BYTES);
  let headBytes = 0;
  let checksum = 0;
  let bytes = 0;
  for await (const chunk of gather(stream)) {
    if (headBytes < SNIFF_BYTES) headBytes += chunk.copy(head, headBytes);
    const position = bytes;
    bytes += chunk.length;
    if (bytes > limitBytes) continue;
    const written = write(chunk, position);
    // Awaited below; until then its failure must not count as unhandled.
    written.catch(() => {});
    hash.update(chunk);
    checksum = crc32(chunk, checksum);
    await written;
  }
  return {
    facts: {
      sha256: hash.digest('hex'),
      crc32: checksum.toString(16).padStart(8, '0'),
      bytes,
      head: head.subarray(0, headBytes),
    },
    isWhole: bytes <= limitBytes,
  };
}

async function* gather(stream: Readable): AsyncGenerator<Buffer> {
  let parts: Buffer[] = [];
  let size = 0;
  for await (const chunk of stream as AsyncIterable<Buffer>) {
    parts.push(chunk);
    size += chunk.length;
    if (size >= GATHER_BYTES) {
      yield Buffer.concat(parts, size);
      parts = [];
      size = 0;
    }
  }
  if (size > 0) yield Buffer.concat(parts, size);
}

/** Writes a whole chunk, however many calls that takes. */
export async function writeWhole(file: FileHandle, chunk: Buffer, position: number): Promise<void> {
  let offset = 0;
  while (offset < chunk.length) {
    const { bytesWritten } = await file.write(chunk, offset, chunk.length - offset, position + offset);
    offset += bytesWritten;
  }
}

/** Makes the names in a folder durable. */
export async function syncFolder(path: string): Promise<void> {
  const folder = openSync(path, 'r');
  try {
    await sync(folder);
  } finally {
    closeSync(folder);
  }
}

/** Makes the bytes of an open file durable. */
export const sync = promisify(fsync);

/** Reads a whole small file; null when it is larger. @throws Error when it changes meanwhile */
export function readSmall(path: string): { data: Buffer; source: FileIdentity } | null {
  const file = openSync(path, 'r');
  try {
    const before = fstatSync(file, { bigint: true });
    if (before.size > SMALL_BYTES) return null;
    const data = readFileSync(file);
    const source = identityOf(before);
    requireSame(source, fstatSync(file, { bigint: true }));
    if (BigInt(data.length) !== before.size) throw changing();
    return { data, source };
  } finally {
    closeSync(file);
  }
}

/** Copies a file, without copying its bytes where the file system supports it. @throws Error when it changes meanwhile */
export async function copyUnchanged(path: string, target: string): Promise<FileIdentity> {
  const source = identityOf(await stat(path, { bigint: true }));
  await copyFile(path, target, constants.COPYFILE_FICLONE);
  requireSame(source, await stat(path, { bigint: true }));
  return source;
}

/**
 * Hard-links a file, or copies it where that is impossible: on another disk, or when the file has several names
 * already, because whoever has the others could still change it.
 */
export async function linkOrCopy(path: string, target: string): Promise<FileIdentity> {
  const source = await stat(path, { bigint: true });
  if (source.nlink > 1n || !(await tryLink(path, target))) return copyUnchanged(path, target);
  // The link identifies the file: the path may point to another one by now.
  return identityOf(await stat(target, { bigint: true }));
}

async function tryLink(path: string, target: string): Promise<boolean> {
  return link(path, target).then(
    () => true,
    (error: NodeJS.ErrnoException) => {
      if (error.code === 'ENOENT') throw error;
      return false;
    },
  );
}

/** Reads the identity of the file at a path. */
export async function identify(path: string): Promise<FileIdentity> {
  return identityOf(await stat(path, { bigint: true }));
}

export function isSameFile(a: FileIdentity, b: FileIdentity): boolean {
  return a.device === b.device && a.inode === b.inode && a.bytes === b.bytes && a.modifiedNs === b.modifiedNs;
}

/** Tells whether a linked file has changed: it is the source itself, and a later write to it changes what was read. */
export async function wasChanged(staged: string, source: FileIdentity): Promise<boolean> {
  const now = await identify(staged);
  const isLinked = now.inode === source.inode && now.device === source.device;
  return isLinked && !isSameFile(now, source);
}

/** @throws Error when the file is another one or has changed */
export function requireSame(before: FileIdentity, now: BigIntStats): void {
  if (!isSameFile(before, identityOf(now))) throw changing();
}

function identityOf({ dev, ino, size, mtimeNs }: BigIntStats): FileIdentity {
  return { device: dev, inode: ino, bytes: size, modifiedNs: mtimeNs };
}

function changing(): Error {
  return new Error('it is still being written');
}

/** Opens a file for reading, and always closes it. */
export async function withFile<Result>(
  path: string,
  work: (file: FileHandle) => Promise<Result>,
): Promise<Result> {
  const file = await open(path, 'r');
  try {
    return await work(file);
  } finally {
    await file.close();
  }
}
