import { createReadStream, existsSync, openSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import type {
  Adoption,
  BorrowedFile,
  ByteFacts,
  ByteStore,
  StagedBytes,
  StoreState,
} from '../shared/byte-store.js';
import type { CopyStore } from '../shared/copy-store.js';
import { UniferumError } from '../shared/errors.js';
import { DiskStore } from './disk-store.js';
import { FileCache } from './file-cache.js';
import { explainStoreFault } from './store-faults.js';

const BLOBS = 'blobs/';
const ASIDE = 'aside/';
/** The headers of blobs, for clients that read the bucket directly. */
const BLOB_HEADERS = { mime: 'application/octet-stream', cacheControl: 'private, no-store' };

/**
 * Stores blobs in a bucket: `blobs/ab/<sha256>`. A folder of this host holds incoming files and a cache of bounded size;
 * it may be lost at any time, and several hosts need not share it.
 */
export class BucketHome implements ByteStore {
  readonly name: string;
  readonly #bucket: CopyStore;
  readonly #disk: DiskStore;
  readonly #cache: FileCache;
  #recall: ((sha256: string) => Promise<boolean>) | null = null;

  /** @param root a folder of this host, of this installation alone */
  constructor(bucket: CopyStore, { root, cacheBytes }: { root: string; cacheBytes: number }) {
    this.name = bucket.name;
    this.#bucket = bucket;
    // Apart from the blobs of a disk store, which are originals and not a cache.
    const folder = join(root, 'cache');
    this.#disk = new DiskStore(folder);
    this.#cache = new FileCache(this.#disk, {
      ...{ folder, limitBytes: cacheBytes },
      fetch: (sha256) => this.#fetch(sha256),
    });
  }

  async prepare(): Promise<void> {
    await this.#disk.prepare();
    await this.#cache.prepare();
  }

  async check(): Promise<StoreState> {
    const disk = await this.#disk.check();
    if (disk !== 'ok') return disk;
    return this.#bucket.head('probe', { signal: AbortSignal.timeout(PROBE_MS) }).then(
      () => 'ok',
      () => 'failing',
    );
  }

  async sweepStaging(minAgeMs: number): Promise<number> {
    await this.#cache.sweep(minAgeMs);
    return (await this.#disk.sweepStaging(minAgeMs)) + (await this.#bucket.sweep(minAgeMs));
  }

  async stage(stream: Readable, options: { limitBytes: number }): Promise<StagedBytes> {
    return this.#staged(await this.#disk.stage(stream, options));
  }

  /** Other hosts could not read a file imported in place, so it is copied. */
  async importLocalFile(path: string, adoption: Adoption): Promise<StagedBytes> {
    const mode = adoption.mode === 'place' ? { mode: 'copy' as const } : adoption;
    return this.#staged(await this.#disk.importLocalFile(path, mode));
  }

  scratch(): string {
    return this.#disk.scratch();
  }

  stageWrittenFile(path: string, facts: Omit<ByteFacts, 'head'>): StagedBytes {
    return this.#staged(this.#disk.stageWrittenFile(path, facts));
  }

  open(sha256: string, range?: { start: number; end: number }): Readable {
    const path = this.#disk.localPath(sha256);
    try {
      // Opened at once: an open file stays readable when it leaves the cache.
      const fd = openSync(path, 'r');
      void this.#cache.touch(path);
      return createReadStream(path, { ...range, fd });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw explainStoreFault(error, this.name);
    }
    return Readable.from(this.#read(sha256, range), { objectMode: false });
  }

  borrow(sha256: string): Promise<BorrowedFile> {
    return this.#cache.borrow(sha256);
  }

  keyOf(sha256: string): string {
    return this.#disk.keyOf(sha256);
  }

  recallFrom(recall: (sha256: string) => Promise<boolean>): void {
    this.#recall = recall;
  }

  async has(sha256: string): Promise<boolean> {
    return (await this.#isHere(sha256)) || ((await this.#recall?.(sha256)) ?? false);
  }

  async #isHere(sha256: string): Promise<boolean> {
    if (existsSync(this.#disk.localPath(sha256))) return true;
    const key = this.keyOf(sha256);
    if (await this.#bucket.head(key)) return true;
    // Another host may restore it between the two requests.
    if ((await this.#bucket.head(ASIDE + sha256)) === null) return (await this.#bucket.head(key)) !== null;
    // The cleanup may have quarantined it just as somebody locked it again.
    await this.restoreQuarantined(sha256);
    return true;
  }

  async *listKept(): AsyncGenerator<string[]> {
    for await (const page of this.#bucket.list({ prefix: BLOBS }))
      yield page.map(({ key }) => key.slice(BLOBS.length + 3)).filter((name) => /^[0-9a-f]{64}$/.test(name));
  }

  async measure(sha256: string): Promise<number | null> {
    return (await this.#bucket.head(this.keyOf(sha256)))?.bytes ?? null;
  }

  async keptSince(sha256: string): Promise<number | null> {
    return (await this.#bucket.head(this.keyOf(sha256)))?.modifiedAt.getTime() ?? null;
  }

  async quarantine(sha256: string): Promise<void> {
    const key = this.keyOf(sha256);
    await this.#bucket.copyWithin(key, ASIDE + sha256).catch(ignoreMissing);
    await this.#bucket.delete(key);
    await this.#cache.drop(sha256);
  }

  async restoreQuarantined(sha256: string): Promise<void> {
    const key = this.keyOf(sha256);
    // The same bytes may have been stored again in the meantime.
    if ((await this.#bucket.head(key)) === null)
      await this.#bucket.copyWithin(ASIDE + sha256, key).catch(async (error) => {
        // Another host restored them at the same time.
        if ((await this.#bucket.head(key)) === null) throw error;
      });
    await this.deleteQuarantined(sha256);
  }

  async deleteQuarantined(sha256: string): Promise<void> {
    await this.#bucket.delete(ASIDE + sha256);
  }

  async listQuarantined(): Promise<{ sha256: string; sinceMs: number }[]> {
    const found: { sha256: string; sinceMs: number }[] = [];
    for await (const page of this.#bucket.list({ prefix: ASIDE }))
      for (const { key, modifiedAt } of page)
        found.push({ sha256: key.slice(ASIDE.length), sinceMs: modifiedAt.getTime() });
    return found;
  }

  arrivals(): string {
    return this.#disk.arrivals();
  }

  /** Wraps staged bytes so that keeping them uploads them to the bucket before they enter the cache. */
  #staged(local: StagedBytes): StagedBytes {
    const { sha256, bytes, path } = local;
    let state: 'staged' | 'kept' | 'discarded' = 'staged';
    const keep = async () => {
      // This throws the reason.
      if (state === 'discarded' || path === null) return local.keep();
      // Uploading a small file again is cheaper than asking first; a kept one may have been evicted.
      const asksFirst = state === 'kept' || bytes > SENT_UNASKED_BYTES;
      if (!(asksFirst && (await this.#isInBucket(sha256, bytes)))) {
        const source = state === 'staged' ? path : this.#disk.localPath(sha256);
        const open = (range?: { start: number; end: number }) => createReadStream(source, range);
        await this.#bucket.put(this.keyOf(sha256), { bytes, sha256, open }, BLOB_HEADERS).catch((error) => {
          throw explainStoreFault(error, this.name, { isOwn: true });
        });
      }
      if (state === 'staged') await this.#cache.keep(local);
      state = 'kept';
    };
    const discard = async () => {
      if (state === 'staged') state = 'discarded';
      await local.discard();
    };
    return { ...local, copy: { store: this.name, key: this.keyOf(sha256) }, keep, discard };
  }

  async #isInBucket(sha256: string, bytes: number): Promise<boolean> {
    const facts = await this.#bucket.head(this.keyOf(sha256));
    return facts?.bytes === bytes;
  }

  async *#read(sha256: string, range?: { start: number; end: number }): AsyncGenerator<Buffer> {
    const file = await this.borrow(sha256);
    try {
      yield* createReadStream(file.path, range);
    } finally {
      await file.release();
    }
  }

  /** Reads a blob into the cache's staging. @throws UniferumError `bytes-damaged` when it is not what it should be */
  async #fetch(sha256: string): Promise<StagedBytes> {
    for (let attempt = 1; ; attempt += 1) {
      const stream = await this.#bucket.open(this.keyOf(sha256)).catch(async (error) => {
        if (await this.has(sha256)) return this.#bucket.open(this.keyOf(sha256));
        throw error;
      });
      const staged = await this.#disk.stage(stream, { limitBytes: Number.POSITIVE_INFINITY }).catch(broken);
      if (staged?.sha256 === sha256) return staged;
      await staged?.discard();
      if (attempt === ATTEMPTS)
        throw staged
          ? new UniferumError(
              'bytes-damaged',
              `The bytes ${sha256} in the store "${this.name}" are damaged. They were not used.`,
            )
          : new UniferumError(
              'store-away',
              `Reading from the store "${this.name}" breaks off again and again.`,
              {
                retryAfterSeconds: 15,
              },
            );
    }
  }
}

const ATTEMPTS = 3;
/** The maximum time that a health check waits for the bucket. */
const PROBE_MS = 2000;
const SENT_UNASKED_BYTES = 128 * 1024;

/** A broken connection is retried; a disk fault is not. */
function broken(error: unknown): null {
  if (error instanceof UniferumError) throw error;
  return null;
}

function ignoreMissing(error: unknown): void {
  if (!(error instanceof UniferumError && error.code === 'not-found')) throw error;
}
