import { existsSync } from 'node:fs';
import { mkdtemp, readdir, readFile, rm, stat, utimes, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import type { StagedBytes } from '../shared/byte-store.js';
import { DiskStore } from './disk-store.js';
import { FileCache } from './file-cache.js';

const LIMIT = 1000;
let folder: string;
let disk: DiskStore;
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'uniferum-cache-'));
  disk = new DiskStore(folder);
  await disk.prepare();
});
afterEach(() => rm(folder, { recursive: true, force: true }));

const stage = (content: string) =>
  disk.stage(Readable.from([Buffer.from(content)]), { limitBytes: Number.POSITIVE_INFINITY });
async function openCache(
  fetch: (sha256: string) => Promise<StagedBytes> = () => Promise.reject(new Error('nothing to fetch')),
  limitBytes = LIMIT,
) {
  const cache = new FileCache(disk, { folder, limitBytes, fetch });
  await cache.prepare();
  return cache;
}
/** Puts a file into the cache, last used so many seconds ago. */
async function add(cache: FileCache, bytes: number, agoS = 0, mark = String(agoS)): Promise<string> {
  const staged = await stage(mark.padEnd(bytes, '.'));
  await cache.keep(staged);
  const used = new Date(Date.now() - agoS * 1000);
  if (agoS > 0) await utimes(disk.localPath(staged.sha256), used, used);
  return staged.sha256;
}
const isCached = (sha256: string) => existsSync(disk.localPath(sha256));
const pins = () => readdir(join(folder, 'pins'));

describe('a cache', () => {
  test.each([
    ['at its limit keeps all', [400, 300, 300], [true, true, true]],
    // Down to 900 bytes: 1001 less the oldest 101.
    ['above it gives up the oldest, down to nine tenths', [101, 500, 400], [false, true, true]],
    ['above it gives up one more, where that is not enough', [100, 500, 401], [false, false, true]],
  ])('%s', async (_what, sizes, kept) => {
    const cache = await openCache(undefined, 1e9);
    const digests: string[] = [];
    for (const [n, bytes] of sizes.entries()) digests.push(await add(cache, bytes, 100 - n));
    await (await openCache()).evict();
    expect(digests.map(isCached)).toEqual(kept);
  });

  test('knows the oldest by its use, not by when it came', async () => {
    const cache = await openCache(undefined, 1e9);
    const [first, second] = [await add(cache, 600, 20), await add(cache, 500, 10)];
    await (await cache.borrow(first)).release();
    await openCache();
    expect([isCached(first), isCached(second)]).toEqual([true, false]);
  });

  test('is measured again once a twentieth of its limit came, and not before', async () => {
    const other = await openCache(undefined, 1e9);
    const cache = await openCache();
    // Another process adds this.
    const old = await add(other, 2000, 50);
    const evict = vi.spyOn(cache, 'evict');
    await add(cache, 49);
    expect(evict).not.toHaveBeenCalled();
    await add(cache, 1);
    expect(evict).toHaveBeenCalledOnce();
    await evict.mock.results[0]?.value;
    expect(isCached(old)).toBe(false);
    await add(cache, 49, 0, 'more');
    expect(evict).toHaveBeenCalledOnce();
  });

  test('gives up a file that is named, and one that is not there', async () => {
    const cache = await openCache();
    const sha256 = await add(cache, 10);
    await cache.drop(sha256);
    expect(isCached(sha256)).toBe(false);
    await cache.drop(sha256);
  });
});

describe('a borrowed file', () => {
  test('has a name of its own until it is released', async () => {
    const cache = await openCache();
    const sha256 = await add(cache, 10, 0, 'a light');
    const [one, two] = [await cache.borrow(sha256), await cache.borrow(sha256)];
    expect(one.path).not.toBe(two.path);
    await cache.drop(sha256);
    await one.release();
    expect(await readFile(two.path, 'utf8')).toBe('a light...');
    expect(await pins()).toHaveLength(1);
    await two.release();
    expect(await pins()).toEqual([]);
  });

  test('counts as used', async () => {
    const cache = await openCache();
    const sha256 = await add(cache, 10, 3600);
    await (await cache.borrow(sha256)).release();
    expect(Date.now() - (await stat(disk.localPath(sha256))).atimeMs).toBeLessThan(600_000);
    // What is gone already has no use.
    await cache.touch(join(folder, 'gone'));
  });

  test('that is not cached is fetched once for all who ask, and cached', async () => {
    let fetches = 0;
    let arrive = () => {};
    const arrived = new Promise<void>((resolve) => {
      arrive = resolve;
    });
    const cache = await openCache(async () => {
      fetches += 1;
      await arrived;
      return stage('a light');
    });
    const { sha256, discard } = await stage('a light');
    await discard();
    const borrowing = Promise.all(Array.from({ length: 5 }, () => cache.borrow(sha256)));
    arrive();
    for (const file of await borrowing) expect(await readFile(file.path, 'utf8')).toBe('a light');
    expect([fetches, isCached(sha256)]).toEqual([1, true]);
    await (await cache.borrow(sha256)).release();
    expect(fetches).toBe(1);
  });

  test("whose fetch fails is that caller's failure: the next one tries again", async () => {
    let fetches = 0;
    const cache = await openCache(async () => {
      fetches += 1;
      if (fetches === 1) throw new Error('the bucket is away');
      return stage('a light');
    });
    const { sha256, discard } = await stage('a light');
    await discard();
    const [one, two] = await Promise.allSettled([cache.borrow(sha256), cache.borrow(sha256)]);
    expect([one.status, two.status, fetches]).toEqual(['rejected', 'fulfilled', 2]);
    expect(await pins()).toHaveLength(1);
  });

  test('that was fetched and could not be kept leaves nothing behind', async () => {
    let discarded = 0;
    const cache = await openCache(async () => {
      const staged = await stage('a light');
      return {
        ...staged,
        keep: () => Promise.reject(new Error('the disk is full')),
        discard: async () => {
          discarded += 1;
          await staged.discard();
        },
      };
    });
    await expect(cache.borrow('a'.repeat(64))).rejects.toThrow('the disk is full');
    expect([discarded, await pins(), await readdir(disk.scratch())]).toEqual([1, [], []]);
  });

  test('that can not be linked for another reason than its absence is a failure', async () => {
    const cache = await openCache(() => stage('a light'));
    await rm(join(folder, 'blobs/aa'), { recursive: true });
    await writeFile(join(folder, 'blobs/aa'), 'no folder');
    await expect(cache.borrow('a'.repeat(64))).rejects.toMatchObject({ code: 'ENOTDIR' });
  });
});

test('links older than an age are swept', async () => {
  const cache = await openCache();
  const now = Date.now();
  for (const ageMs of [0, 60_000, 60_001])
    await writeFile(join(folder, 'pins', `${now - ageMs}-${ageMs}`), '');
  vi.useFakeTimers({ toFake: ['Date'], now });
  await cache.sweep(60_000);
  vi.useRealTimers();
  expect((await pins()).map((name) => name.split('-')[1]).sort()).toEqual(['0', '60000']);
});
