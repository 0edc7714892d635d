import { createHash, randomBytes } from 'node:crypto';
import { mkdir, mkdtemp, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { afterAll, afterEach, beforeAll, beforeEach, expect, test } from 'vitest';
import { BUCKET_SECRET, startBucket, type TestBucket } from '../testing/bucket.js';
import { BucketHome } from './bucket-home.js';
import type { BucketStore } from './bucket-store.js';
import { openHomeStore } from './home-store.js';

const MEGABYTE = 1_000_000;

let bucket: TestBucket;
let folder: string;
let prefix: string;
let opened: BucketStore[];

beforeAll(async () => {
  bucket = await startBucket();
});
afterAll(() => bucket.close());
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'uniferum-home-'));
  prefix = `${randomBytes(4).toString('hex')}/`;
  opened = [];
});
afterEach(async () => {
  for (const store of opened) store.close();
  await bucket.start();
  await bucket.setFaults([]);
  await rm(folder, { recursive: true });
});

/** A host with a folder of its own. */
async function host(name: string, cacheBytes = 100 * MEGABYTE): Promise<BucketHome> {
  const store = bucket.store({ prefix });
  opened.push(store);
  const home = new BucketHome(store, { root: join(folder, name), cacheBytes });
  await home.prepare();
  return home;
}

const cacheOf = async (name: string) => {
  const blobs = join(folder, name, 'cache/blobs');
  const names = (await Promise.all((await readdir(blobs)).map((one) => readdir(join(blobs, one))))).flat();
  const sizes = await Promise.all(names.map((one) => stat(join(blobs, one.slice(0, 2), one))));
  return { names, bytes: sizes.reduce((sum, { size }) => sum + size, 0) };
};

async function add(home: BucketHome, content: Buffer): Promise<string> {
  const staged = await home.stage(Readable.from([content]), { limitBytes: 10 * MEGABYTE });
  await staged.keep();
  return staged.sha256;
}

const read = (home: BucketHome, sha256: string, range?: { start: number; end: number }) =>
  buffer(home.open(sha256, range));
const digest = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex');

test('what one host keeps, another reads, whole and in part', async () => {
  const [here, there] = [await host('a'), await host('b')];
  const content = randomBytes(100_000);
  const sha256 = await add(here, content);
  expect(sha256).toBe(digest(content));
  expect(await there.has(sha256)).toBe(true);
  expect(content.equals(await read(there, sha256))).toBe(true);
  expect(content.subarray(5, 10).equals(await read(there, sha256, { start: 5, end: 9 }))).toBe(true);
  const file = await there.borrow(sha256);
  expect(content.equals(await readFile(file.path))).toBe(true);
  await file.release();
  await expect(readFile(file.path)).rejects.toThrow('ENOENT');
});

test('a host that loses its folder loses nothing', async () => {
  const sha256 = await add(await host('a'), Buffer.from('a light'));
  await rm(join(folder, 'a'), { recursive: true });
  expect((await read(await host('a'), sha256)).toString()).toBe('a light');
});

test('bytes that were cut off by a limit are kept nowhere', async () => {
  const home = await host('a');
  const staged = await home.stage(Readable.from([Buffer.alloc(100)]), { limitBytes: 10 });
  expect(staged.bytes).toBe(100);
  await expect(staged.keep()).rejects.toThrow('cut off');
  expect(await home.has(staged.sha256)).toBe(false);
});

test('a damaged read is repeated, and never given out', async () => {
  const [here, there] = [await host('a'), await host('b')];
  const sha256 = await add(here, randomBytes(50_000));
  await bucket.setFaults([{ kind: 'corrupt', method: 'GET', times: 2 }]);
  expect(digest(await read(there, sha256))).toBe(sha256);
  const other = await host('c');
  await bucket.setFaults([{ kind: 'corrupt', method: 'GET' }]);
  await expect(read(other, sha256)).rejects.toMatchObject({ code: 'bytes-damaged' });
  await expect(other.borrow(sha256)).rejects.toMatchObject({ code: 'bytes-damaged' });
  expect((await cacheOf('c')).names).toEqual([]);
  expect(await readdir(other.scratch())).toEqual([]);
});

test('a read that breaks off is repeated, and then said to be away', async () => {
  const sha256 = await add(await host('a'), randomBytes(50_000));
  const there = await host('b');
  await bucket.setFaults([{ kind: 'cut', method: 'GET', times: 2 }]);
  expect(digest(await read(there, sha256))).toBe(sha256);
  const other = await host('c');
  await bucket.setFaults([{ kind: 'cut', method: 'GET' }]);
  await expect(other.borrow(sha256)).rejects.toMatchObject({ code: 'store-away' });
});

test('while the bucket is gone, what is staged stays staged, and is kept once it is back', async () => {
  const home = await host('a');
  const staged = await home.stage(Readable.from([Buffer.from('a light')]), { limitBytes: 100 });
  await bucket.stop();
  expect(await home.check()).toBe('failing');
  await expect(staged.keep()).rejects.toMatchObject({ code: 'store-away' });
  expect((await cacheOf('a')).names).toEqual([]);
  await bucket.start();
  await staged.keep();
  expect(await home.check()).toBe('ok');
  expect((await read(await host('b'), staged.sha256)).toString()).toBe('a light');
});

test('keeping again sends what has gone from the bucket', async () => {
  const home = await host('a');
  const staged = await home.stage(Readable.from([Buffer.from('a light')]), { limitBytes: 100 });
  await staged.keep();
  await opened[0]?.delete(home.keyOf(staged.sha256));
  await staged.keep();
  expect(await (await host('b')).has(staged.sha256)).toBe(true);
});

test('bytes that left the cache are still kept; those that are nowhere any more are not', async () => {
  const home = await host('a');
  const staged = await home.stage(Readable.from([Buffer.from('a light')]), { limitBytes: 100 });
  await staged.keep();
  await host('a', 0);
  await staged.keep();
  expect(await home.has(staged.sha256)).toBe(true);
  await opened[0]?.delete(home.keyOf(staged.sha256));
  await expect(staged.keep()).rejects.toMatchObject({ code: 'store-away' });
  expect(await home.has(staged.sha256)).toBe(false);
});

test('the cache stays within its limit, the least recently used go first, and all can still be read', async () => {
  const home = await host('a', MEGABYTE);
  const digests: string[] = [];
  for (let n = 0; n < 8; n += 1) digests.push(await add(home, randomBytes(100_000)));
  const [first = ''] = digests;
  await (await home.borrow(first)).release();
  for (let n = 0; n < 8; n += 1) digests.push(await add(home, randomBytes(100_000)));
  // Measuring goes on in the background: this one waits for it.
  await (await host('a', MEGABYTE)).prepare();
  const cached = await cacheOf('a');
  expect(cached.bytes).toBeLessThanOrEqual(MEGABYTE);
  expect(cached.names).not.toContain(digests[1]);
  for (const sha256 of digests) expect(digest(await read(home, sha256))).toBe(sha256);
});

test('a cache too small for a single file still serves it, to many at once', async () => {
  const sha256 = await add(await host('a'), randomBytes(200_000));
  const home = await host('b', 0);
  const files = await Promise.all(Array.from({ length: 20 }, () => home.borrow(sha256)));
  for (const { path } of files) expect(digest(await readFile(path))).toBe(sha256);
  await Promise.all(files.map((file) => file.release()));
  expect(digest(await read(home, sha256))).toBe(sha256);
});

test('a borrowed file stays while it is evicted', async () => {
  const home = await host('a');
  const sha256 = await add(home, Buffer.from('a light'));
  const file = await home.borrow(sha256);
  await host('a', 0);
  expect((await cacheOf('a')).names).toEqual([]);
  expect(await readFile(file.path, 'utf8')).toBe('a light');
  await file.release();
});

test('links of dead processes are swept by age', async () => {
  const home = await host('a');
  const { path } = await home.borrow(await add(home, Buffer.from('a light')));
  await home.sweepStaging(60_000);
  expect(await readFile(path, 'utf8')).toBe('a light');
  await home.sweepStaging(-1);
  await expect(readFile(path)).rejects.toThrow('ENOENT');
});

test('quarantined bytes are restored by whoever needs them, on any host, or deleted', async () => {
  const [here, there] = [await host('a'), await host('b')];
  const [kept, gone] = [await add(here, Buffer.from('kept')), await add(here, Buffer.from('gone'))];
  await here.quarantine(kept);
  await here.quarantine(gone);
  expect((await there.listQuarantined()).map((one) => one.sha256).sort()).toEqual([kept, gone].sort());
  expect(await there.keptSince(kept)).toBeNull();
  expect(await there.has(kept)).toBe(true);
  await there.deleteQuarantined(gone);
  expect(await there.has(gone)).toBe(false);
  expect((await read(there, kept)).toString()).toBe('kept');
  expect(await there.listQuarantined()).toEqual([]);
  await here.quarantine('ab'.repeat(32));
  expect(await here.has('ab'.repeat(32))).toBe(false);
});

test('many that need quarantined bytes at the same moment all get them', async () => {
  const hosts = [await host('a'), await host('b'), await host('c')];
  const [here] = hosts;
  const sha256 = await add(here as BucketHome, Buffer.from('a light'));
  await here?.quarantine(sha256);
  const found = await Promise.all([...hosts, ...hosts, ...hosts].map((home) => home.has(sha256)));
  expect(new Set(found)).toEqual(new Set([true]));
  const read3 = await Promise.all(hosts.map(async (home) => (await read(home, sha256)).toString()));
  expect(read3).toEqual(['a light', 'a light', 'a light']);
});

test('everything in the bucket is listed, and since when', async () => {
  const home = await host('a');
  const digests = [await add(home, Buffer.from('one')), await add(home, Buffer.from('two'))];
  const listed: string[] = [];
  for await (const page of home.listKept()) listed.push(...page);
  expect(listed.sort()).toEqual(digests.sort());
  expect(Date.now() - ((await home.keptSince(digests[0] ?? '')) ?? 0)).toBeLessThan(60_000);
});

test('a file that was to stay where it is, is copied: other hosts could not read it', async () => {
  const home = await host('a');
  const path = join(folder, 'inbox.txt');
  await writeFile(path, 'a light');
  const staged = await home.importLocalFile(path, { mode: 'place', store: 'inbox', key: 'inbox.txt' });
  expect(staged.copy).toEqual({ store: 'bucket', key: home.keyOf(staged.sha256) });
  await staged.keep();
  expect(await readFile(path, 'utf8')).toBe('a light');
  expect((await read(await host('b'), staged.sha256)).toString()).toBe('a light');
});

test('of two hosts that keep the same bytes at once, both succeed', async () => {
  const hosts = [await host('a'), await host('b')];
  const content = randomBytes(300_000);
  const digests = await Promise.all(hosts.map((home) => add(home, content)));
  expect(new Set(digests).size).toBe(1);
  expect(digest(await read(await host('c'), digests[0] ?? ''))).toBe(digest(content));
});

test('originals on the disk are not taken for lost: a bucket is no home beside them', async () => {
  const home = { settings: { ...bucket.settings, prefix }, secret: BUCKET_SECRET, cacheBytes: MEGABYTE };
  await (await openHomeStore({ dataDir: folder, home })).prepare();
  await mkdir(join(folder, 'blobs/ab'), { recursive: true });
  await writeFile(join(folder, 'blobs/ab', 'ab'.repeat(32)), 'a light');
  await expect(openHomeStore({ dataDir: folder, home })).rejects.toThrow('remove UNIFERUM_HOME_BUCKET');
  expect((await openHomeStore({ dataDir: folder, home: null })).name).toBe('server');
});
