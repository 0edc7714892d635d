import { createHash, randomBytes } from 'node:crypto';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { expect, test } from 'vitest';
import type { CopySource, CopyStore } from '../shared/copy-store.js';

/** Bytes to store, with their digest. */
export function sourceOf(content: string | Buffer): CopySource & { content: Buffer } {
  const bytes = Buffer.from(content);
  return {
    content: bytes,
    bytes: bytes.length,
    sha256: createHash('sha256').update(bytes).digest('hex'),
    open: (range) =>
      Readable.from([range ? bytes.subarray(range.start, range.end + 1) : bytes], { objectMode: false }),
  };
}

/** What people have in names of files, and what a store or a file system may stumble over. */
const ODD_KEYS = [
  'lights/Gannet Head + fog.jpg',
  'é/ñ~tilde.txt',
  'quote"and\'apostrophe.txt',
  "(brackets)!*'.txt",
  'per%20cent%.txt',
  'hash#question?amp&.txt',
  'double//slash/',
  'back\\slash.txt',
  '🗼/灯台.jpg',
  '.hidden/.file',
  `long/${'x'.repeat(900)}`,
  `${'é'.repeat(400)}.jpg`,
];

const JPEG = { mime: 'image/jpeg' };

async function all(store: CopyStore, options = {}): Promise<string[]> {
  const keys: string[] = [];
  for await (const page of store.list(options)) keys.push(...page.map(({ key }) => key));
  return keys;
}

const read = async (store: CopyStore, key: string, range?: { start: number; end: number }) =>
  (await buffer(await store.open(key, range && { range }))).toString();

/**
 * What every store of copies does.
 *
 * @param open gives the same, empty store for a test
 * @param lacks what the server behind the store doesn't have: keys, the order of lists, whole objects of two writers at once
 */
export function testCopyStore(
  open: () => CopyStore,
  lacks: { keys?: RegExp; order?: boolean; wholeness?: boolean } = {},
): void {
  testKeys(open, lacks);
  testBytes(open, lacks);
  testEnds(open);
}

function testKeys(open: () => CopyStore, lacks: { keys?: RegExp; order?: boolean }): void {
  const odd = ODD_KEYS.filter((key) => !lacks.keys?.test(key));
  test.each(odd)('stores, reads, lists and deletes %s', async (key) => {
    const store = open();
    const put = await store.put(key, sourceOf('a light'), JPEG);
    expect(put).toMatchObject({ key, bytes: 7 });
    expect(await read(store, key)).toBe('a light');
    expect(await store.head(key)).toMatchObject({ key, bytes: 7, etag: put.etag });
    expect(await all(store)).toEqual([key]);
    await store.delete(key);
    expect(await store.head(key)).toBeNull();
    expect(await all(store)).toEqual([]);
  });

  test('keeps a key beside others that begin with it', async () => {
    const store = open();
    const keys = ['a', 'a.b', 'a.b/c', 'a.b/c.d/e', 'a/b', 'a/b/c'];
    for (const key of keys) await store.put(key, sourceOf(key), JPEG);
    expect(lacks.order ? (await all(store)).sort() : await all(store)).toEqual(keys);
    for (const key of keys) expect(await read(store, key)).toBe(key);
    await store.delete('a/b');
    expect((await all(store)).sort()).toEqual(keys.filter((key) => key !== 'a/b'));
  });

  test('lists by prefix, after a key, and in the order of UTF-8 bytes', async () => {
    const store = open();
    for (const key of ['b/2', '\u{10000}', 'b/1', '\uffee', 'a']) await store.put(key, sourceOf(key), JPEG);
    expect(await all(store)).toEqual(['a', 'b/1', 'b/2', '\uffee', '\u{10000}']);
    expect(await all(store, { prefix: 'b/' })).toEqual(['b/1', 'b/2']);
    expect(await all(store, { after: 'b/1' })).toEqual(['b/2', '\uffee', '\u{10000}']);
    expect(await all(store, { prefix: 'b/', after: 'b/1' })).toEqual(['b/2']);
  });
}

function testBytes(open: () => CopyStore, lacks: { wholeness?: boolean }): void {
  test('reads a part', async () => {
    const store = open();
    await store.put('k', sourceOf('0123456789'), JPEG);
    expect(await read(store, 'k', { start: 2, end: 4 })).toBe('234');
    expect(await read(store, 'k', { start: 8, end: 20 })).toBe('89');
  });

  test('stores nothing as well as much', async () => {
    const store = open();
    const large = sourceOf(randomBytes(20 * 1024 * 1024 + 1));
    await store.put('empty', sourceOf(''), JPEG);
    await store.put('large', large, JPEG);
    expect(await read(store, 'empty')).toBe('');
    expect(large.content.equals(await buffer(await store.open('large')))).toBe(true);
    expect(await store.head('large')).toMatchObject({ bytes: large.bytes });
  });

  test('replaces an object; its entity tag changes with its bytes', async () => {
    const store = open();
    const first = await store.put('k', sourceOf('one'), JPEG);
    const second = await store.put('k', sourceOf('two'), JPEG);
    expect(second.etag).not.toBe(first.etag);
    expect(await read(store, 'k')).toBe('two');
  });

  test.skipIf(lacks.wholeness)('of two writers at once one is whole', async () => {
    const store = open();
    const sources = ['one', 'two'].map((word) => sourceOf(word.repeat(100_000)));
    await Promise.all(sources.map((source) => store.put('k', source, JPEG)));
    expect(sources.map(({ content }) => content.toString())).toContain(await read(store, 'k'));
  });

  test.each([10, 20 * 1024 * 1024])('refuses %i bytes that do not have their digest', async (length) => {
    const store = open();
    await store.put('k', sourceOf('before'), JPEG);
    const source = { ...sourceOf(randomBytes(length)), sha256: 'ab'.repeat(32) };
    await expect(store.put('k', source, JPEG)).rejects.toMatchObject({ code: 'bytes-damaged' });
    expect(await read(store, 'k')).toBe('before');
    expect(await all(store)).toEqual(['k']);
  });
}

function testEnds(open: () => CopyStore): void {
  test('leaves nothing of bytes that break off', async () => {
    const store = open();
    const source = {
      ...sourceOf('0123456789'),
      open: () =>
        Readable.from(
          (async function* () {
            yield Buffer.from('01234');
            throw new Error('the disk was pulled out');
          })(),
          { objectMode: false },
        ),
    };
    await expect(store.put('k', source, JPEG)).rejects.toThrow();
    expect(await all(store)).toEqual([]);
  });

  test('ends a call that is aborted', async () => {
    const store = open();
    const ending = new AbortController();
    ending.abort();
    await expect(store.put('k', sourceOf('x'), JPEG, { signal: ending.signal })).rejects.toMatchObject({
      name: 'AbortError',
    });
    expect(await all(store)).toEqual([]);
  });

  test('says what is missing, and deletes it all the same', async () => {
    const store = open();
    await expect(store.open('missing')).rejects.toMatchObject({ code: 'not-found' });
    expect(await store.head('missing')).toBeNull();
    await expect(store.delete('missing')).resolves.toBeUndefined();
  });

  test('copies within itself where it says so', async () => {
    const store = open();
    if (!store.capabilities.has('copy-within')) return;
    await store.put('a b', sourceOf('light'), JPEG);
    await store.copyWithin('a b', 'c/é');
    expect([await read(store, 'a b'), await read(store, 'c/é')]).toEqual(['light', 'light']);
    await expect(store.copyWithin('missing', 'd')).rejects.toMatchObject({ code: 'not-found' });
  });

  test('signs addresses where it says so', async () => {
    const store = open();
    if (!store.capabilities.has('signed-addresses')) return;
    await store.put('a b/é', sourceOf('light'), JPEG);
    const address = await store.signAddress('a b/é', { expiresInS: 60, fileName: 'é.jpg' });
    const answer = await fetch(address);
    expect(await answer.text()).toBe('light');
    expect(answer.headers.get('content-disposition')).toBe("attachment; filename*=UTF-8''%C3%A9.jpg");
  });
}
