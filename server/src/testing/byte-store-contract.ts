import { createHash, randomBytes } from 'node:crypto';
import { readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { expect, test } from 'vitest';
import type { ByteStore } from '../shared/byte-store.js';

const LIMIT = { limitBytes: 1_000_000 };
const digest = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex');
const read = async (store: ByteStore, sha256: string, range?: { start: number; end: number }) =>
  (await buffer(store.open(sha256, range))).toString();
const stage = (store: ByteStore, content: string | Buffer) =>
  store.stage(Readable.from([Buffer.from(content)]), LIMIT);

async function keep(store: ByteStore, content: string): Promise<string> {
  const staged = await stage(store, content);
  await staged.keep();
  return staged.sha256;
}

async function listed(store: ByteStore): Promise<string[]> {
  const digests: string[] = [];
  for await (const some of store.listKept()) digests.push(...some);
  return digests.sort();
}

/**
 * What every home store does: what intake, renditions and serving need.
 *
 * @param open gives the same, empty store for a test, and a local folder beside it
 */
export function testByteStore(open: () => { store: ByteStore; folder: string }): void {
  testKeeping(open);
  testFiles(open);
  testLeaving(open);
}

function testKeeping(open: () => { store: ByteStore; folder: string }): void {
  test('keeps bytes under their digest, whole and in part', async () => {
    const { store } = open();
    const staged = await stage(store, '0123456789');
    expect(staged).toMatchObject({ sha256: digest(Buffer.from('0123456789')), bytes: 10 });
    expect(staged.copy).toEqual({ store: store.name, key: store.keyOf(staged.sha256) });
    expect(await store.has(staged.sha256)).toBe(false);
    await staged.keep();
    expect(await store.has(staged.sha256)).toBe(true);
    expect(await read(store, staged.sha256)).toBe('0123456789');
    expect(await read(store, staged.sha256, { start: 2, end: 4 })).toBe('234');
    expect(await listed(store)).toEqual([staged.sha256]);
    expect(await readdir(store.scratch())).toEqual([]);
  });

  test('keeps nothing of what is discarded, cut off or broken off', async () => {
    const { store } = open();
    const discarded = await stage(store, 'discarded');
    await discarded.discard();
    await expect(discarded.keep()).rejects.toThrow('discarded');
    const cut = await store.stage(Readable.from([Buffer.alloc(100)]), { limitBytes: 10 });
    expect([cut.bytes, cut.path]).toEqual([100, null]);
    await expect(cut.keep()).rejects.toThrow('cut off');
    const breaking = Readable.from(
      (async function* () {
        yield Buffer.from('half');
        throw new Error('broken off');
      })(),
    );
    await expect(store.stage(breaking, LIMIT)).rejects.toThrow('broken off');
    expect(await listed(store)).toEqual([]);
    expect(await readdir(store.scratch())).toEqual([]);
  });

  test('keeps equal bytes once, also when they come at the same moment', async () => {
    const { store } = open();
    const digests = await Promise.all(Array.from({ length: 8 }, () => keep(store, 'a light')));
    expect(new Set(digests).size).toBe(1);
    expect(await listed(store)).toEqual([digests[0]]);
    expect(await read(store, digests[0] ?? '')).toBe('a light');
  });

  test('keeping again, and discarding what is kept, is harmless', async () => {
    const { store } = open();
    const staged = await stage(store, 'a light');
    await staged.keep();
    await staged.keep();
    await staged.discard();
    expect(await read(store, staged.sha256)).toBe('a light');
  });

  test('keeps no bytes as well as many', async () => {
    const { store } = open();
    const empty = await keep(store, '');
    expect(await read(store, empty)).toBe('');
    const large = randomBytes(900_000);
    const staged = await stage(store, large);
    await staged.keep();
    expect(large.equals(await buffer(store.open(staged.sha256)))).toBe(true);
  });
}

function testFiles(open: () => { store: ByteStore; folder: string }): void {
  test.each(['copy', 'link'] as const)(
    'imports a local file by %s, whatever becomes of the file',
    async (mode) => {
      const { store, folder } = open();
      const path = join(folder, 'inbox.txt');
      await writeFile(path, 'from the inbox');
      const staged = await store.importLocalFile(path, { mode });
      await staged.keep();
      await rm(path);
      expect(await read(store, staged.sha256)).toBe('from the inbox');
    },
  );

  test('takes a file that another process has written', async () => {
    const { store } = open();
    const data = Buffer.from('written elsewhere');
    const path = join(store.scratch(), 'written');
    await writeFile(path, data);
    const facts = { sha256: digest(data), crc32: '00000000', bytes: data.length };
    await store.stageWrittenFile(path, facts).keep();
    expect(await read(store, facts.sha256)).toBe('written elsewhere');
    await expect(stat(path)).rejects.toThrow('ENOENT');
  });

  test('lends a file with the bytes, to several at once', async () => {
    const { store } = open();
    const sha256 = await keep(store, 'lent');
    const files = await Promise.all([store.borrow(sha256), store.borrow(sha256)]);
    await files[0]?.release();
    expect(await readFile(files[1]?.path ?? '', 'utf8')).toBe('lent');
    await files[1]?.release();
    expect(await read(store, sha256)).toBe('lent');
  });
}

function testLeaving(open: () => { store: ByteStore; folder: string }): void {
  test('quarantined bytes are gone until somebody needs them, or for good', async () => {
    const { store } = open();
    const [needed, gone] = [await keep(store, 'needed'), await keep(store, 'gone')];
    expect(await store.keptSince(needed)).toBeGreaterThan(Date.now() - 60_000);
    await store.quarantine(needed);
    await store.quarantine(gone);
    expect([await listed(store), await store.keptSince(needed)]).toEqual([[], null]);
    expect((await store.listQuarantined()).map(({ sha256 }) => sha256).sort()).toEqual([needed, gone].sort());
    expect(await store.has(needed)).toBe(true);
    await store.deleteQuarantined(gone);
    expect(await store.has(gone)).toBe(false);
    expect(await read(store, needed)).toBe('needed');
    expect(await store.listQuarantined()).toEqual([]);
  });

  test('bytes that are kept anew while they are quarantined are there', async () => {
    const { store } = open();
    const sha256 = await keep(store, 'again');
    await store.quarantine(sha256);
    await keep(store, 'again');
    await store.deleteQuarantined(sha256);
    expect(await read(store, sha256)).toBe('again');
  });

  test("says that it works, and what it doesn't have", async () => {
    const { store } = open();
    expect(await store.check()).toBe('ok');
    expect(await store.has('ab'.repeat(32))).toBe(false);
    expect(await store.keptSince('ab'.repeat(32))).toBeNull();
    await expect(read(store, 'ab'.repeat(32))).rejects.toThrow();
    await store.quarantine('ab'.repeat(32));
    expect(() => store.keyOf('../../etc/passwd')).toThrow(TypeError);
  });
}
