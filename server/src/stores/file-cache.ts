import { randomUUID } from 'node:crypto';
import { link, lstat, mkdir, readdir, rm, utimes } from 'node:fs/promises';
import { join } from 'node:path';
import type { BorrowedFile, StagedBytes } from '../shared/byte-store.js';
import type { DiskStore } from './disk-store.js';

/** Eviction continues down to this share of the limit, so that not every new file triggers it. */
const KEPT_SHARE = 0.9;
/** The folder is measured again after this share of the limit was added, because other processes add files too. */
const MEASURED_SHARE = 0.05;

interface CachedFile {
  path: string;
  bytes: number;
  usedAt: number;
}

interface CacheOptions {
  folder: string;
  limitBytes: number;
  /** Fetches bytes that are not cached, verified. */
  fetch(sha256: string): Promise<StagedBytes>;
}

/**
 * Caches blobs of a remote store in a local folder of limited size; the least recently used are evicted first. Several
 * processes can share the folder. A borrowed file is a separate hard link, which eviction does not touch.
 */
export class FileCache {
  readonly #disk: DiskStore;
  readonly #options: CacheOptions;
  readonly #pins: string;
  readonly #fetching = new Map<string, Promise<void>>();
  #addedBytes = 0;
  #evicting: Promise<void> | null = null;

  constructor(disk: DiskStore, options: CacheOptions) {
    this.#disk = disk;
    this.#options = options;
    this.#pins = join(options.folder, 'pins');
  }

  async prepare(): Promise<void> {
    await mkdir(this.#pins, { recursive: true });
    await this.evict();
  }

  /** Moves staged bytes into the cache. */
  async keep(staged: StagedBytes): Promise<void> {
    await staged.keep();
    this.#added(staged.bytes);
  }

  /** Returns a file with the bytes, fetched if necessary; it exists until it is released. */
  async borrow(sha256: string): Promise<BorrowedFile> {
    const pin = join(this.#pins, `${Date.now()}-${randomUUID()}`);
    while (!(await this.#pin(this.#disk.localPath(sha256), pin))) {
      const running = this.#fetching.get(sha256);
      if (running === undefined) {
        await this.#fetch(sha256, pin);
        break;
      }
      // A failure belongs to the caller that started the fetch; the next caller tries again.
      await running.catch(() => {});
    }
    return { path: pin, release: () => rm(pin, { force: true }) };
  }

  async drop(sha256: string): Promise<void> {
    await rm(this.#disk.localPath(sha256), { force: true });
  }

  /** Removes links that dead processes held. */
  async sweep(minAgeMs: number): Promise<void> {
    for (const name of await readdir(this.#pins))
      if (Date.now() - Number.parseInt(name, 10) > minAgeMs)
        await rm(join(this.#pins, name), { force: true });
  }

  /** Removes the least recently used files until the cache is within its limit. */
  async evict(): Promise<void> {
    this.#evicting ??= this.#evictNow().finally(() => {
      this.#evicting = null;
    });
    return this.#evicting;
  }

  async #evictNow(): Promise<void> {
    this.#addedBytes = 0;
    const files = await this.#list();
    let bytes = files.reduce((sum, file) => sum + file.bytes, 0);
    if (bytes <= this.#options.limitBytes) return;
    files.sort((a, b) => a.usedAt - b.usedAt);
    for (const file of files) {
      if (bytes <= this.#options.limitBytes * KEPT_SHARE) return;
      await rm(file.path, { force: true });
      bytes -= file.bytes;
    }
  }

  async #list(): Promise<CachedFile[]> {
    const files: CachedFile[] = [];
    const blobs = join(this.#options.folder, 'blobs');
    for (const folder of await readdir(blobs))
      for (const name of await readdir(join(blobs, folder))) {
        const path = join(blobs, folder, name);
        const info = await lstat(path).catch(() => null);
        if (info) files.push({ path, bytes: info.size, usedAt: info.atimeMs });
      }
    return files;
  }

  /** @returns false when the file is not there */
  async #pin(path: string, pin: string): Promise<boolean> {
    try {
      await link(path, pin);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'ENOENT') return false;
      throw error;
    }
    await this.touch(pin);
    return true;
  }

  /** Counts a file as used now. */
  async touch(path: string): Promise<void> {
    const now = new Date();
    await utimes(path, now, now).catch(() => {
      // It was just evicted.
    });
  }

  /** Fetches bytes, with a single fetch per digest. They are pinned before they can be evicted again. */
  async #fetch(sha256: string, pin: string): Promise<void> {
    const work = this.#fetchNow(sha256, pin);
    this.#fetching.set(sha256, work);
    try {
      await work;
    } finally {
      this.#fetching.delete(sha256);
    }
  }

  async #fetchNow(sha256: string, pin: string): Promise<void> {
    const staged = await this.#options.fetch(sha256);
    try {
      await link(staged.path ?? '', pin);
      await staged.keep();
    } catch (error) {
      await staged.discard();
      await rm(pin, { force: true });
      throw error;
    }
    this.#added(staged.bytes);
  }

  #added(bytes: number): void {
    this.#addedBytes += bytes;
    if (this.#addedBytes < this.#options.limitBytes * MEASURED_SHARE) return;
    // The caller does not wait for this; a failure recurs at the next eviction.
    void this.evict().catch(() => {});
  }
}
