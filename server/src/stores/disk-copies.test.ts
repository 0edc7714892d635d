import { mkdir, mkdtemp, readdir, rm, stat, utimes, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { sourceOf } from '../testing/copy-store-contract.js';
import { DiskCopies } from './disk-copies.js';

const JPEG = { mime: 'image/jpeg' };
let root: string;
let store: DiskCopies;
beforeEach(async () => {
  root = await mkdtemp(join(tmpdir(), 'uniferum-disk-copies-'));
  store = new DiskCopies('cellar', root);
});
afterEach(async () => {
  vi.useRealTimers();
  await rm(root, { recursive: true, force: true });
});

const all = async (options = {}) => {
  const pages: string[][] = [];
  for await (const page of store.list(options)) pages.push(page.map(({ key }) => key));
  return pages;
};

describe('deleting', () => {
  test('takes away the folders that become empty, and no other', async () => {
    for (const key of ['a/b/c/one.jpg', 'a/b/two.jpg', 'three.jpg'])
      await store.put(key, sourceOf(key), JPEG);
    await store.delete('a/b/c/one.jpg');
    expect(await readdir(join(root, 'a/b'))).toEqual(['two.jpg']);
    await store.delete('a/b/two.jpg');
    expect(await readdir(root)).toEqual(['three.jpg']);
    await store.delete('three.jpg');
    expect(await readdir(root)).toEqual([]);
    await store.delete('three.jpg');
    await store.delete('no/such/file.jpg');
    expect((await stat(root)).isDirectory()).toBe(true);
  });
});

describe('listing', () => {
  test('comes in pages of a thousand, in the order of bytes', async () => {
    const keys = Array.from({ length: 1001 }, (_, n) => `${String(n).padStart(4, '0')}.txt`);
    await Promise.all(keys.map((key) => writeFile(join(root, key), key)));
    const pages = await all();
    expect(pages.map((page) => page.length)).toEqual([1000, 1]);
    expect(pages.flat()).toEqual(keys);
    expect((await all({ after: '0998.txt' })).flat()).toEqual(['0999.txt', '1000.txt']);
    expect((await all({ prefix: '100' })).flat()).toEqual(['1000.txt']);
  });

  test('leaves out what is being written, and folders', async () => {
    await writeFile(join(root, '%partial-1'), 'x');
    await mkdir(join(root, 'empty'));
    await store.put('a.jpg', sourceOf('a'), JPEG);
    expect(await all()).toEqual([['a.jpg']]);
  });
});

describe('what was left half-written', () => {
  test('is swept by age, and nothing else is', async () => {
    const now = Date.now();
    for (const [name, ageMs] of [
      ['%partial-old', 60_000],
      ['%partial-new', 59_000],
      ['old.jpg', 90_000],
    ] as const) {
      await writeFile(join(root, name), 'x');
      await utimes(join(root, name), (now - ageMs) / 1000, (now - ageMs) / 1000);
    }
    vi.useFakeTimers({ toFake: ['Date'], now });
    expect(await store.sweep(60_000)).toBe(1);
    expect((await readdir(root)).sort()).toEqual(['%partial-new', 'old.jpg']);
  });
});

describe('a fault', () => {
  test('of the folder is the store that is away, to write, to list and to sweep', async () => {
    await store.put('a.jpg', sourceOf('a'), JPEG);
    await rm(root, { recursive: true });
    const away = { code: 'store-away', message: expect.stringContaining('"cellar"') };
    await expect(store.put('b.jpg', sourceOf('b'), JPEG)).rejects.toMatchObject(away);
    await expect(all()).rejects.toMatchObject(away);
    await expect(store.sweep(0)).rejects.toMatchObject(away);
    expect(await store.head('a.jpg')).toBeNull();
    await expect(store.open('a.jpg')).rejects.toMatchObject({ code: 'not-found' });
    await mkdir(root);
  });

  test('of a key that is no file: a folder is none, and a file holds none', async () => {
    await mkdir(join(root, 'folder.jpg'));
    await writeFile(join(root, 'file'), 'x');
    expect(await store.head('folder.jpg')).toBeNull();
    await store.delete('file/below.jpg');
    expect(await store.head('file/below.jpg')).toBeNull();
    await expect(store.copyWithin('file/below.jpg', 'k')).rejects.toMatchObject({ code: 'not-found' });
    await expect(store.copyWithin('none.jpg', 'k')).rejects.toMatchObject({ code: 'not-found' });
    expect((await readdir(root)).sort()).toEqual(['file', 'folder.jpg']);
  });

  test('of the bytes keeps what was there', async () => {
    await store.put('a.jpg', sourceOf('before'), JPEG);
    const damaged = { ...sourceOf('after'), sha256: 'ab'.repeat(32) };
    await expect(store.put('a.jpg', damaged, JPEG)).rejects.toMatchObject({ code: 'bytes-damaged' });
    const stopped = { ...sourceOf('after'), open: () => Readable.from([Buffer.from('after')]) };
    await expect(store.put('a.jpg', stopped, JPEG, { signal: AbortSignal.abort() })).rejects.toThrow();
    expect((await buffer(await store.open('a.jpg'))).toString()).toBe('before');
    expect(await readdir(root)).toEqual(['a.jpg']);
  });
});

test('a copy within the store is a file of its own', async () => {
  await store.put('a.jpg', sourceOf('a light'), JPEG);
  await store.copyWithin('a.jpg', 'deep/b.jpg');
  await store.put('a.jpg', sourceOf('another'), JPEG);
  expect((await buffer(await store.open('deep/b.jpg'))).toString()).toBe('a light');
  expect(await store.head('deep/b.jpg')).toMatchObject({ key: 'deep/b.jpg', bytes: 7 });
});

test('it has no addresses of its own', () => {
  expect([...store.capabilities]).toEqual(['copy-within']);
  expect(() => store.signAddress()).toThrow('signed addresses');
  expect(() => store.publicAddress()).toThrow('public addresses');
  store.close();
});
