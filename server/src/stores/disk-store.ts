import { createHash, randomUUID } from 'node:crypto';
import {
  closeSync,
  constants,
  createReadStream,
  fstatSync,
  fsync,
  openSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import {
  copyFile,
  type FileHandle,
  link,
  lstat,
  lutimes,
  mkdir,
  open,
  readdir,
  rename,
  rm,
  stat,
  symlink,
} from 'node:fs/promises';
import { dirname, join, resolve } from 'node:path';
import type { Readable } from 'node:stream';
import { promisify } from 'node:util';
import { crc32 } from 'node:zlib';
import { SNIFF_BYTES } from '@uniferum/core';
import type { Adoption, ByteFacts, ByteStore, StagedBytes } from './byte-store.js';
import { hashFile, hashWhole } from './hash-file.js';

const DIGEST = /^[0-9a-f]{64}$/;

/** A file in staging that nobody has touched for so long belongs to a process that died. */
const ABANDONED_MS = 24 * 3_600_000;

/**
 * Keeps blobs in a folder: `blobs/ab/<sha256>`; what arrives is written to `staging/` beside it. One level of 256 folders
 * holds millions of files well, and spares making a folder for nearly every file.
 */
export class DiskStore implements ByteStore {
  readonly name = 'server';
  readonly #root: string;

  constructor(root: string) {
    this.#root = root;
  }

  /** Makes the folders, and clears staging of what died there. */
  async prepare(): Promise<void> {
    await this.#prepareBlobs();
    await mkdir(this.#staging, { recursive: true });
    await mkdir(this.arrivals(), { recursive: true });
    for (const name of await readdir(this.#staging)) {
      const path = join(this.#staging, name);
      const info = await stat(path).catch(() => null);
      if (info && Date.now() - info.mtimeMs > ABANDONED_MS) await rm(path, { force: true });
    }
  }

  /** Makes the folders of the blobs, and brings those up that an earlier version kept one level deeper. */
  async #prepareBlobs(): Promise<void> {
    for (let n = 0; n < 256; n += 1) {
      const folder = join(this.#root, 'blobs', n.toString(16).padStart(2, '0'));
      await mkdir(folder, { recursive: true });
      for (const entry of await readdir(folder, { withFileTypes: true })) {
        if (!entry.isDirectory()) continue;
        const deeper = join(folder, entry.name);
        for (const name of await readdir(deeper))
          await rename(join(deeper, name), join(folder, name)).catch(ignoreMissing);
        await rm(deeper, { recursive: true, force: true });
      }
    }
  }

  async stage(stream: Readable, { limitBytes }: { limitBytes: number }): Promise<StagedBytes> {
    // It may break off before it is read; the reading below meets the error all the same.
    stream.on('error', () => {});
    const path = join(this.#staging, randomUUID());
    const file = await open(path, 'wx', 0o644);
    try {
      const pass = await onePass(stream, file, limitBytes);
      if (!pass.isWhole) {
        await file.close();
        await rm(path, { force: true });
        return {
          ...pass.facts,
          copy: this.#copyOf(pass.facts.sha256),
          path: null,
          keep: refuseToKeep,
          discard: async () => {},
        };
      }
      return this.#staged(
        async () => file,
        path,
        pass.facts,
        () => file.close(),
      );
    } catch (error) {
      await file.close();
      await rm(path, { force: true });
      throw error;
    }
  }

  async adopt(path: string, adoption: Adoption): Promise<StagedBytes> {
    if (adoption.mode === 'place') return this.#place(path, adoption);
    const small = adoption.mode === 'copy' ? await this.#copySmall(path) : null;
    if (small) return small;
    const staged = join(this.#staging, randomUUID());
    const before = await stat(path);
    if (adoption.mode === 'link') await linkOrCopy(path, staged);
    else await copyFile(path, staged, constants.COPYFILE_FICLONE);
    try {
      const facts = await hashFile(staged);
      const after = await stat(path);
      if (after.mtimeMs !== before.mtimeMs || after.size !== facts.bytes)
        throw new Error('it is still being written');
      return this.#staged(() => open(staged, 'r'), staged, facts);
    } catch (error) {
      await rm(staged, { force: true });
      throw error;
    }
  }

  /**
   * Copies a small file without leaving the thread: the ways through the thread pool and back would cost several times
   * what the copying does. Null when it is not small.
   */
  async #copySmall(path: string): Promise<StagedBytes | null> {
    const data = readSmall(path);
    if (data === null) return null;
    const staged = join(this.#staging, randomUUID());
    const file = openSync(staged, 'wx', 0o644);
    let isOver = false;
    const end = () => {
      const wasOver = isOver;
      isOver = true;
      return wasOver;
    };
    const discard = async () => {
      if (end()) return;
      closeSync(file);
      rmSync(staged, { force: true });
    };
    try {
      writeFileSync(file, data);
      const facts = await hashWhole(data);
      return {
        ...facts,
        path: staged,
        copy: this.#copyOf(facts.sha256),
        keep: async () => {
          if (end()) return;
          const target = this.localPath(facts.sha256);
          await sync(file);
          closeSync(file);
          renameSync(staged, target);
          await syncFolder(dirname(target));
        },
        discard,
      };
    } catch (error) {
      await discard();
      throw error;
    }
  }

  scratch(): string {
    return this.#staging;
  }

  takeWritten(path: string, facts: Omit<ByteFacts, 'head'>): StagedBytes {
    return this.#staged(() => open(path, 'r'), path, { ...facts, head: new Uint8Array() });
  }

  open(sha256: string, range?: { start: number; end: number }): Readable {
    return createReadStream(this.localPath(sha256), range);
  }

  localPath(sha256: string): string {
    return join(this.#root, this.keyOf(sha256));
  }

  keyOf(sha256: string): string {
    if (!/^[0-9a-f]{64}$/.test(sha256))
      throw new TypeError(`Expected a SHA-256 in hexadecimal, got ${sha256}`);
    return `blobs/${sha256.slice(0, 2)}/${sha256}`;
  }

  async has(sha256: string): Promise<boolean> {
    const path = this.localPath(sha256);
    try {
      const entry = await lstat(path);
      if (!entry.isSymbolicLink()) return true;
      // The link carries the time that the file had when it was registered in place.
      return Math.abs((await stat(path)).mtimeMs - entry.mtimeMs) < PLACED_TOLERANCE_MS;
    } catch {
      return false;
    }
  }

  async *listKept(): AsyncGenerator<string[]> {
    for (const folder of await readdir(join(this.#root, 'blobs')))
      yield (await readdir(join(this.#root, 'blobs', folder))).filter((name) => DIGEST.test(name));
  }

  async keptSince(sha256: string): Promise<number | null> {
    // The time of the name, not of the content: a file that is taken over keeps the time at which it was written.
    return (await lstat(this.localPath(sha256)).catch(() => null))?.ctimeMs ?? null;
  }

  async putAside(sha256: string): Promise<void> {
    await mkdir(this.#aside, { recursive: true });
    const now = new Date();
    await rename(this.localPath(sha256), join(this.#aside, sha256)).catch(ignoreMissing);
    await lutimes(join(this.#aside, sha256), now, now).catch(ignoreMissing);
  }

  async bringBack(sha256: string): Promise<void> {
    const target = this.localPath(sha256);
    await link(join(this.#aside, sha256), target).catch((error) => {
      // The same bytes came in again in the meantime.
      if (error.code !== 'EEXIST') throw error;
    });
    await this.removeAside(sha256);
  }

  async removeAside(sha256: string): Promise<void> {
    await rm(join(this.#aside, sha256), { force: true });
  }

  async listAside(): Promise<{ sha256: string; sinceMs: number }[]> {
    const names = await readdir(this.#aside).catch(() => []);
    return Promise.all(
      names.map(async (sha256) => ({ sha256, sinceMs: (await lstat(join(this.#aside, sha256))).mtimeMs })),
    );
  }

  get #aside(): string {
    return join(this.#root, 'aside');
  }

  arrivals(): string {
    return join(this.#root, 'arrivals');
  }

  #copyOf(sha256: string): StagedBytes['copy'] {
    return { store: this.name, key: this.keyOf(sha256) };
  }

  async #place(path: string, { store, key }: Adoption & { mode: 'place' }): Promise<StagedBytes> {
    const { mtimeMs } = await stat(path);
    const facts = await hashFile(path);
    if ((await stat(path)).mtimeMs !== mtimeMs) throw new Error('it is still being written');
    return {
      ...facts,
      path,
      copy: { store, key },
      keep: async () => {
        if (await this.has(facts.sha256)) return;
        const target = this.localPath(facts.sha256);
        const beside = `${target}.${randomUUID()}`;
        await symlink(resolve(path), beside);
        await lutimes(beside, mtimeMs / 1000, mtimeMs / 1000);
        await rename(beside, target);
        await syncFolder(dirname(target));
      },
      discard: async () => {},
    };
  }

  get #staging(): string {
    return join(this.#root, 'staging');
  }

  #staged(
    reopen: () => Promise<FileHandle>,
    path: string,
    facts: Omit<StagedBytes, 'path' | 'copy' | 'keep' | 'discard'>,
    close: (() => Promise<void>) | null = null,
  ): StagedBytes {
    const mayBeLinked = close === null;
    let isOver = false;
    return {
      ...facts,
      path,
      copy: this.#copyOf(facts.sha256),
      keep: async () => {
        if (isOver) return;
        isOver = true;
        const file = await reopen();
        const target = this.localPath(facts.sha256);
        // Durable before it is visible: the bytes, then the name, then the folder that holds the name.
        await file.sync();
        await file.close();
        await rename(path, target);
        // Renaming one link of a file to another of the same leaves both.
        if (mayBeLinked) await rm(path, { force: true });
        await syncFolder(dirname(target));
      },
      discard: async () => {
        if (isOver) return;
        isOver = true;
        await close?.();
        await rm(path, { force: true });
      },
    };
  }
}

function ignoreMissing(error: NodeJS.ErrnoException): void {
  if (error.code !== 'ENOENT') throw error;
}

/** The precision with which a disk keeps the time of a link. */
const PLACED_TOLERANCE_MS = 1;

async function linkOrCopy(path: string, target: string): Promise<void> {
  try {
    await link(path, target);
  } catch {
    // Another disk, or one without links.
    await copyFile(path, target);
  }
}

interface Pass {
  facts: { sha256: string; crc32: string; bytes: number; head: Uint8Array };
  isWhole: boolean;
}

/** Writes, hashes, counts and looks at the bytes in one go. The write of a chunk overlaps with the hashing of it. */
async function onePass(stream: Readable, file: FileHandle, limitBytes: number): Promise<Pass> {
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
    const written = writeWhole(file, chunk, position);
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

/** Few large writes cost less than many small ones: network chunks are gathered up to this size. */
const GATHER_BYTES = 1024 * 1024;

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

async function writeWhole(file: FileHandle, chunk: Buffer, position: number): Promise<void> {
  let offset = 0;
  while (offset < chunk.length) {
    const { bytesWritten } = await file.write(chunk, offset, chunk.length - offset, position + offset);
    offset += bytesWritten;
  }
}

async function syncFolder(path: string): Promise<void> {
  const folder = openSync(path, 'r');
  try {
    await sync(folder);
  } finally {
    closeSync(folder);
  }
}

const sync = promisify(fsync);

const SMALL_BYTES = 512 * 1024;

/** Reads a small file whole; null when it is larger. @throws Error when it changes meanwhile */
function readSmall(path: string): Buffer | null {
  const file = openSync(path, 'r');
  try {
    const before = fstatSync(file);
    if (before.size > SMALL_BYTES) return null;
    const data = readFileSync(file);
    const after = fstatSync(file);
    if (after.mtimeMs !== before.mtimeMs || after.size !== data.length)
      throw new Error('it is still being written');
    return data;
  } finally {
    closeSync(file);
  }
}

async function refuseToKeep(): Promise<never> {
  throw new Error('Expected bytes within their limit, got bytes that were cut off');
}
