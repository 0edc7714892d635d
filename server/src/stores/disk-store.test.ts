import { createHash } from 'node:crypto';
import { mkdir, mkdtemp, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import { DiskStore } from './disk-store.js';
import { hashFile } from './hash-file.js';

let root: string;
let store: DiskStore;
beforeEach(async () => {
  root = await mkdtemp(join(tmpdir(), 'uniferum-store-'));
  store = new DiskStore(join(root, 'data'));
  await store.prepare();
});
afterEach(() => rm(root, { recursive: true, force: true }));

const put = async (name: string, data: Buffer | string) => {
  const path = join(root, name);
  await writeFile(path, data);
  return path;
};
const staged = () => readdir(join(root, 'data/staging'));

describe('a file of this machine', () => {
  test.each([
    ['a small one, copied', 'copy', 1000],
    ['a large one, copied', 'copy', 700_000],
    ['one that is moved', 'link', 1000],
  ] as const)(
    '%s is kept whole, and the file stays until the caller takes it away',
    async (_what, mode, bytes) => {
      const data = Buffer.alloc(bytes, 'fog ');
      const path = await put('a.bin', data);
      const taken = await store.importLocalFile(path, { mode });
      expect(taken).toMatchObject(await hashFile(path));
      await taken.keep();
      await taken.discard();
      expect((await readFile(store.localPath(taken.sha256))).equals(data)).toBe(true);
      expect((await stat(path)).size).toBe(bytes);
      expect(await staged()).toEqual([]);
    },
  );

  test.each(['copy', 'link'] as const)('that is refused leaves nothing behind: %s', async (mode) => {
    const taken = await store.importLocalFile(await put('a.bin', 'x'), { mode });
    await taken.discard();
    await taken.discard();
    expect([await staged(), await store.has(taken.sha256)]).toEqual([[], false]);
  });

  test('kept twice, by two at once, is there once', async () => {
    const path = await put('a.bin', 'the same');
    const [one, two] = await Promise.all([
      store.importLocalFile(path, { mode: 'link' }),
      store.importLocalFile(path, { mode: 'copy' }),
    ]);
    await Promise.all([one?.keep(), two?.keep()]);
    expect(await store.has(one?.sha256 ?? '')).toBe(true);
    expect(await staged()).toEqual([]);
  });

  test('that is not there is an error, and leaves nothing behind', async () => {
    await expect(store.importLocalFile(join(root, 'missing'), { mode: 'copy' })).rejects.toThrow('ENOENT');
    await expect(store.importLocalFile(join(root, 'missing'), { mode: 'link' })).rejects.toThrow('ENOENT');
    expect(await staged()).toEqual([]);
  });

  test('registered in place is read from there, and missing once it was changed; the same bytes sent later heal it', async () => {
    const path = await put('a.bin', 'in place');
    const placed = await store.importLocalFile(path, { mode: 'place', store: 'inbox', key: 'a.bin' });
    await placed.keep();
    expect(placed.copy).toEqual({ store: 'inbox', key: 'a.bin' });
    expect(await store.has(placed.sha256)).toBe(true);
    await rm(path);
    expect(await store.has(placed.sha256)).toBe(false);
    const sent = await store.stage(Readable.from([Buffer.from('in place')]), { limitBytes: 100 });
    await sent.keep();
    expect((await readFile(store.localPath(placed.sha256))).toString()).toBe('in place');
  });
});

describe('a file that can not be taken', () => {
  test.each([1000, 700_000])('because the staging is gone leaves nothing behind: %i bytes', async (bytes) => {
    const path = await put('a.bin', Buffer.alloc(bytes));
    await rm(join(root, 'data/staging'), { recursive: true });
    const before = (await readdir('/proc/self/fd')).length;
    await expect(store.importLocalFile(path, { mode: 'copy' })).rejects.toMatchObject({
      code: bytes === 1000 ? 'store-away' : 'ENOENT',
    });
    await expect(store.importLocalFile(path, { mode: 'link' })).rejects.toMatchObject({ code: 'ENOENT' });
    expect((await readdir('/proc/self/fd')).length).toBeLessThanOrEqual(before);
    expect((await stat(path)).size).toBe(bytes);
  });

  /** A file of this file system says that it is empty, and is not. Source: proc(5). */
  test('because it has more bytes than it says is still being written', async () => {
    await expect(store.importLocalFile('/proc/version', { mode: 'copy' })).rejects.toThrow(
      'it is still being written',
    );
    expect(await staged()).toEqual([]);
  });
});

describe('bytes that are elsewhere only', () => {
  const SHA256 = createHash('sha256').update('from afar').digest('hex');
  let recalled: string[];
  beforeEach(() => {
    recalled = [];
    store.recallFrom(async (sha256) => {
      recalled.push(sha256);
      if (sha256 !== SHA256) return false;
      await writeFile(store.localPath(sha256), 'from afar');
      return true;
    });
  });

  test('are fetched when they are read, once', async () => {
    expect((await buffer(store.open(SHA256))).toString()).toBe('from afar');
    expect((await buffer(store.open(SHA256, { start: 5, end: 6 }))).toString()).toBe('af');
    expect(recalled).toEqual([SHA256]);
  });

  test('are fetched in part', async () => {
    expect((await buffer(store.open(SHA256, { start: 5, end: 8 }))).toString()).toBe('afar');
  });

  test('are fetched when a file of them is borrowed', async () => {
    const { path, release } = await store.borrow(SHA256);
    expect(await readFile(path, 'utf8')).toBe('from afar');
    await release();
    await (await store.borrow(SHA256)).release();
    expect(recalled).toEqual([SHA256]);
  });

  test('are there once they are fetched; what is nowhere is not', async () => {
    expect([await store.has(SHA256), await store.has(SHA256), await store.has('ab'.repeat(32))]).toEqual([
      ...[true, true, false],
    ]);
    expect(recalled).toEqual([SHA256, 'ab'.repeat(32)]);
    await expect(buffer(store.open('ab'.repeat(32)))).rejects.toThrow('ENOENT');
  });
});

test('blobs of an earlier version are brought up from one level deeper', async () => {
  const sha256 = `ab${'0'.repeat(62)}`;
  const deeper = join(root, 'data/blobs/ab/00');
  await mkdir(deeper, { recursive: true });
  await writeFile(join(deeper, sha256), 'old');
  await store.prepare();
  expect((await readFile(store.localPath(sha256))).toString()).toBe('old');
  expect(await readdir(join(root, 'data/blobs/ab'))).toEqual([sha256]);
});

test('a stream that breaks off before it is read is an error of the staging, and leaves nothing behind', async () => {
  const broken = new Readable({ read() {} });
  broken.destroy(new Error('it broke off'));
  await expect(store.stage(broken, { limitBytes: 100 })).rejects.toThrow('it broke off');
  expect(await staged()).toEqual([]);
});
