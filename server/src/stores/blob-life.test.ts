import { createHash } from 'node:crypto';
import {
  link,
  lutimes,
  mkdir,
  mkdtemp,
  readdir,
  readFile,
  rm,
  stat,
  utimes,
  writeFile,
} from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import type { StagedBytes } from '../shared/byte-store.js';
import type { UniferumError } from '../shared/errors.js';
import { checkDisk } from './check-disk.js';
import { DiskStore } from './disk-store.js';
import { hashFile } from './hash-file.js';
import { explainStoreFault } from './store-faults.js';

let root: string;
let store: DiskStore;
beforeEach(async () => {
  root = await mkdtemp(join(tmpdir(), 'uniferum-blobs-'));
  store = new DiskStore(join(root, 'data'));
  await store.prepare();
});
afterEach(async () => {
  for (const { discard } of staged.splice(0)) await discard();
  await rm(root, { recursive: true, force: true });
});

/** What each test staged: its files are closed at its end. */
const staged: StagedBytes[] = [];
async function stage(data: string | Buffer, limitBytes = 10_000_000): Promise<StagedBytes> {
  const bytes = await store.stage(Readable.from([Buffer.from(data)]), { limitBytes });
  staged.push(bytes);
  return bytes;
}
/** Stores bytes. @returns their digest */
const keep = async (data: string) => {
  const { sha256, keep: keepIt } = await stage(data);
  await keepIt();
  return sha256;
};
/** Reads stored bytes. */
const read = async (sha256: string, range?: { start: number; end: number }) =>
  Buffer.concat(await all(store.open(sha256, range))).toString();
const stagingFiles = () => readdir(join(root, 'data/staging'));
async function all<Item>(items: AsyncIterable<Item>): Promise<Item[]> {
  const found: Item[] = [];
  for await (const item of items) found.push(item);
  return found;
}
const ABSENT = 'f'.repeat(64);

describe('bytes that arrive', () => {
  /** Source: FIPS 180-4, "abc"; the check value of CRC-32. */
  test('are hashed, counted and sniffed in one pass', async () => {
    const abc = await stage('abc');
    expect(abc).toMatchObject({
      sha256: 'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad',
      bytes: 3,
      copy: { store: 'server', key: `blobs/ba/${abc.sha256}` },
    });
    expect(Buffer.from(abc.head).toString()).toBe('abc');
    expect(await readFile(abc.path ?? '', 'utf8')).toBe('abc');
    expect((await stage('123456789')).crc32).toBe('cbf43926');
    expect(await stage('')).toMatchObject({ bytes: 0, crc32: '00000000' });
  });

  test('in many chunks are the same as in one', async () => {
    const data = Buffer.from(Array.from({ length: 3_000_001 }, (_, n) => (n * 31) % 256));
    const chunks = Array.from({ length: Math.ceil(data.length / 7919) }, (_, n) =>
      data.subarray(n * 7919, (n + 1) * 7919),
    );
    const staged = await store.stage(Readable.from(chunks), { limitBytes: data.length });
    expect(staged.sha256).toBe(createHash('sha256').update(data).digest('hex'));
    expect(staged.bytes).toBe(data.length);
    expect(Buffer.compare(staged.head, data.subarray(0, staged.head.length))).toBe(0);
    await staged.keep();
    expect(Buffer.compare(await readFile(store.localPath(staged.sha256)), data)).toBe(0);
  });

  test("up to a limit are kept; with one more they are counted, and can't be", async () => {
    expect(await stage('12345', 5)).toMatchObject({ bytes: 5, path: expect.any(String) });
    const cut = await stage('123456', 5);
    expect(cut).toMatchObject({ bytes: 6, path: null });
    await expect(cut.keep()).rejects.toThrow('got bytes that were cut off');
    await cut.discard();
    expect(await stagingFiles()).toHaveLength(1);
  });

  test('are there once kept, also when they are kept or discarded again; and not once discarded', async () => {
    const kept = await stage('kept');
    expect(await store.has(kept.sha256)).toBe(false);
    await kept.keep();
    await kept.keep();
    await kept.discard();
    expect(await store.has(kept.sha256)).toBe(true);
    const dropped = await stage('dropped');
    await dropped.discard();
    await expect(dropped.keep()).rejects.toThrow('got bytes that were discarded');
    expect([await store.has(dropped.sha256), await stagingFiles()]).toEqual([false, []]);
  });

  test('that a part of the server wrote into the scratch folder are kept without another pass', async () => {
    const path = join(store.scratch(), 'written');
    await writeFile(path, 'rendered');
    const { head, ...facts } = await hashFile(path);
    const staged = store.stageWrittenFile(path, facts);
    expect(staged.head).toHaveLength(0);
    await staged.keep();
    expect([await read(facts.sha256), await stagingFiles()]).toEqual(['rendered', []]);
    expect(Buffer.from(head).toString()).toBe('rendered');
  });

  test('abandoned in the staging are cleared by their age', async () => {
    await writeFile(join(store.scratch(), 'old'), 'x');
    await writeFile(join(store.scratch(), 'new'), 'x');
    const hourAgo = Date.now() / 1000 - 3600;
    await utimes(join(store.scratch(), 'old'), hourAgo, hourAgo);
    expect(await store.sweepStaging(3_700_000)).toBe(0);
    expect(await store.sweepStaging(60_000)).toBe(1);
    expect(await stagingFiles()).toEqual(['new']);
  });
});

describe('a blob', () => {
  test('is measured; one that is not there has no size', async () => {
    const sha256 = await keep('0123456789');
    expect([await store.measure(sha256), await store.measure('ab'.repeat(32))]).toEqual([10, null]);
  });

  test('is read whole and in part', async () => {
    const sha256 = await keep('0123456789');
    expect(await read(sha256)).toBe('0123456789');
    expect(await read(sha256, { start: 2, end: 4 })).toBe('234');
    expect(await read(sha256, { start: 9, end: 9 })).toBe('9');
  });

  test('has a key by its digest, and nothing else has one', () => {
    expect(store.keyOf(ABSENT)).toBe(`blobs/ff/${ABSENT}`);
    for (const wrong of ['', 'ab', '../../etc/passwd', 'F'.repeat(64), `${'f'.repeat(63)}g`, `${ABSENT}\n`])
      expect(() => store.keyOf(wrong)).toThrow('Expected a SHA-256');
  });

  test('is listed with all others, and nothing that is no blob', async () => {
    const kept = await Promise.all(['one', 'two', 'three'].map(keep));
    await writeFile(join(root, 'data/blobs/00/left-over.tmp'), 'x');
    expect((await all(store.listKept())).flat().sort()).toEqual(kept.sort());
  });

  test('tells since when it is kept; one that is not there, nothing', async () => {
    const before = Date.now() - 1000;
    const path = join(root, 'old.bin');
    await writeFile(path, 'old');
    await utimes(path, 1, 1);
    const staged = await store.importLocalFile(path, { mode: 'link' });
    await staged.keep();
    expect(await store.keptSince(staged.sha256)).toBeGreaterThan(before);
    expect(await store.keptSince(ABSENT)).toBeNull();
  });
});

describe('an unreferenced blob', () => {
  test('is quarantined, listed since then, restored, and deleted for good', async () => {
    const sha256 = await keep('unreferenced');
    const before = Date.now() - 1000;
    expect(await store.listQuarantined()).toEqual([]);
    await store.quarantine(sha256);
    const [listed] = await store.listQuarantined();
    expect(listed).toEqual({ sha256, sinceMs: expect.any(Number) });
    expect(listed?.sinceMs).toBeGreaterThan(before);
    expect((await all(store.listKept())).flat()).toEqual([]);
    await store.restoreQuarantined(sha256);
    expect([await read(sha256), await store.listQuarantined()]).toEqual(['unreferenced', []]);
    await store.quarantine(sha256);
    await store.deleteQuarantined(sha256);
    await store.deleteQuarantined(sha256);
    expect([await store.has(sha256), await store.listQuarantined()]).toEqual([false, []]);
  });

  test('that somebody asks for comes back; and one that is there again is not overwritten', async () => {
    const sha256 = await keep('wanted');
    await store.quarantine(sha256);
    expect(await store.has(sha256)).toBe(true);
    expect(await store.listQuarantined()).toEqual([]);
    await store.quarantine(sha256);
    await keep('wanted');
    await store.restoreQuarantined(sha256);
    expect([await read(sha256), await store.listQuarantined()]).toEqual(['wanted', []]);
  });

  test("that is not there can't be restored; quarantining it does nothing", async () => {
    await store.quarantine(ABSENT);
    expect(await store.listQuarantined()).toEqual([]);
    await expect(store.restoreQuarantined(ABSENT)).rejects.toThrow('ENOENT');
    expect(await store.has(ABSENT)).toBe(false);
  });
});

describe('a local file', () => {
  const local = async (name: string, data: string) => {
    const path = join(root, name);
    await writeFile(path, data);
    return path;
  };

  test('with another name is copied instead of linked: whoever has that name could change it', async () => {
    const path = await local('a.bin', 'two names');
    await link(path, join(root, 'b.bin'));
    const staged = await store.importLocalFile(path, { mode: 'link' });
    await staged.keep();
    await writeFile(path, 'changed!!');
    expect(await read(staged.sha256)).toBe('two names');
  });

  test('that is linked shares its bytes', async () => {
    const path = await local('a.bin', 'one name');
    const staged = await store.importLocalFile(path, { mode: 'link' });
    await staged.keep();
    expect((await stat(path)).ino).toBe((await stat(store.localPath(staged.sha256))).ino);
  });

  test('kept in place counts as missing after it was touched by more than its time is precise', async () => {
    const path = await local('a.bin', 'in place');
    const placed = await store.importLocalFile(path, { mode: 'place', store: 'inbox', key: 'k' });
    await placed.keep();
    await placed.keep();
    await placed.discard();
    expect([await store.has(placed.sha256), await read(placed.sha256)]).toEqual([true, 'in place']);
    const { mtimeMs } = await stat(path);
    await utimes(path, mtimeMs / 1000 + 1, mtimeMs / 1000 + 1);
    expect(await store.has(placed.sha256)).toBe(false);
    await lutimes(store.localPath(placed.sha256), mtimeMs / 1000 + 1, mtimeMs / 1000 + 1);
    expect(await store.has(placed.sha256)).toBe(true);
  });
});

describe('the state of the store', () => {
  test("is ok, and failing once its folder can't be written", async () => {
    expect(await store.check()).toBe('ok');
    expect(await stagingFiles()).toEqual([]);
    await rm(join(root, 'data/staging'), { recursive: true });
    expect(await store.check()).toBe('failing');
    const error: UniferumError = await stage('x').catch((fault) => fault);
    expect(error).toMatchObject({ code: 'store-away', message: expect.stringContaining('(ENOENT)') });
  });

  test('is full below so much free space, before anything fails', async () => {
    const folder = join(root, 'data/staging');
    expect(await checkDisk(folder, 'server', { leastFreeBytes: Number.POSITIVE_INFINITY })).toBe('full');
    expect(await checkDisk(folder, 'server', { leastFreeBytes: 0 })).toBe('ok');
    expect(await stagingFiles()).toEqual([]);
  });

  test.each([
    ['ENOSPC', {}, 'storage-full'],
    ['EDQUOT', {}, 'storage-full'],
    ['EFBIG', {}, 'storage-full'],
    ['EIO', {}, 'store-away'],
    ['EROFS', {}, 'store-away'],
    ['EACCES', { isOwn: true }, 'store-away'],
    ['ENOENT', { isOwn: true }, 'store-away'],
    ['EACCES', {}, 'EACCES'],
    ['EISDIR', { isOwn: true }, 'EISDIR'],
    // Not any code that has one of these in it.
    ['ENOENTX', { isOwn: true }, 'ENOENTX'],
    ['XENOENT', { isOwn: true }, 'XENOENT'],
  ])('a fault %s %j is %s', (code, options, expected) => {
    const fault = Object.assign(new Error('it failed'), { code });
    const explained = explainStoreFault(fault, 'server', options);
    expect(explained).toMatchObject({ code: expected });
    if (expected !== code)
      expect(explained).toMatchObject({ cause: fault, message: expect.stringContaining('"server"') });
  });

  test('what is no fault of the file system stays what it is', async () => {
    const fault = new Error('other');
    expect(explainStoreFault(fault, 'server', { isOwn: true })).toBe(fault);
    expect(explainStoreFault('text', 'server')).toBe('text');
  });
});

test('preparing again loses nothing, and clears what was abandoned for long', async () => {
  const sha256 = await keep('kept');
  await writeFile(join(store.scratch(), 'abandoned'), 'x');
  await utimes(join(store.scratch(), 'abandoned'), 1, 1);
  await mkdir(join(root, 'data/arrivals'), { recursive: true });
  await writeFile(join(store.arrivals(), 'begun'), 'x');
  await store.prepare();
  expect([await read(sha256), await stagingFiles(), await readdir(store.arrivals())]).toEqual([
    'kept',
    [],
    ['begun'],
  ]);
});
