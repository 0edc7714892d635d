import { createHash } from 'node:crypto';
import type { FileHandle } from 'node:fs/promises';
import {
  copyFile,
  link,
  lstat,
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
import { crc32 } from 'node:zlib';
import { SNIFF_BYTES } from '@uniferum/core/intake';
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { DiskQuarantine } from './disk-quarantine.js';
import { DiskStore } from './disk-store.js';
import { hashFile } from './hash-file.js';
import { storesRoom } from './room.js';
import { reopenToKeep, stageFile } from './staged-file.js';
import {
  identify,
  isSameFile,
  linkOrCopy,
  onePass,
  readSmall,
  requireSame,
  syncFolder,
  wasChanged,
  withFile,
  writeWhole,
} from './staging.js';

const MEGABYTE = 1024 * 1024;
let root: string;
beforeEach(async () => {
  root = await mkdtemp(join(tmpdir(), 'uniferum-staging-'));
});
afterEach(async () => {
  vi.useRealTimers();
  await rm(root, { recursive: true, force: true });
});

const put = async (name: string, data: Buffer | string) => {
  const path = join(root, name);
  await writeFile(path, data);
  return path;
};
/** How many files this process has open. Source: proc(5), /proc/pid/fd. */
const openFiles = async () => (await readdir('/proc/self/fd')).length;

describe('one pass', () => {
  const pass = async (chunks: Buffer[], limit = Number.POSITIVE_INFINITY) => {
    const written: [position: number, bytes: number][] = [];
    const { facts, isWhole } = await onePass(
      Readable.from(chunks),
      async (chunk, position) => void written.push([position, chunk.length]),
      limit,
    );
    return { facts, isWhole, written };
  };

  test('writes few large chunks, one after the other, and no empty one', async () => {
    const part = Buffer.alloc(600_000, 'x');
    expect((await pass([part, part, part])).written).toEqual([
      [0, 1_200_000],
      [1_200_000, 600_000],
    ]);
    const whole = Buffer.alloc(MEGABYTE, 'x');
    expect((await pass([whole, whole])).written).toEqual([
      [0, MEGABYTE],
      [MEGABYTE, MEGABYTE],
    ]);
    expect((await pass([Buffer.alloc(0)])).written).toEqual([]);
  });

  test('writes nothing beyond the limit, and counts it', async () => {
    const whole = Buffer.alloc(MEGABYTE, 'x');
    const cut = await pass([whole, whole, whole], MEGABYTE + 1);
    expect([cut.written, cut.isWhole, cut.facts.bytes]).toEqual([[[0, MEGABYTE]], false, 3 * MEGABYTE]);
    expect((await pass([whole], MEGABYTE)).isWhole).toBe(true);
  });

  test('sniffs the first bytes only, also when they come in many chunks', async () => {
    const data = Buffer.from(Array.from({ length: SNIFF_BYTES + 50 }, (_, n) => n % 251));
    const pieces = Array.from({ length: 3 }, () => Buffer.alloc(MEGABYTE, data));
    const { facts } = await pass([data.subarray(0, 10), ...pieces]);
    expect(Buffer.from(facts.head)).toEqual(
      Buffer.concat([data.subarray(0, 10), pieces[0] as Buffer]).subarray(0, SNIFF_BYTES),
    );
  });
});

test('a chunk is written whole, however little a call writes', async () => {
  const calls: unknown[][] = [];
  const file = {
    async write(_chunk: Buffer, ...more: [offset: number, length: number, position: number]) {
      calls.push(more);
      return { bytesWritten: Math.min(3, more[1]) };
    },
  } as unknown as FileHandle;
  await writeWhole(file, Buffer.alloc(7), 100);
  expect(calls).toEqual([
    [0, 7, 100],
    [3, 4, 103],
    [6, 1, 106],
  ]);
});

describe('the identity of a file', () => {
  const FILE = { device: 1n, inode: 2n, bytes: 3n, modifiedNs: 4n };

  test.each(['device', 'inode', 'bytes', 'modifiedNs'] as const)('is another with another %s', (field) => {
    expect(isSameFile(FILE, { ...FILE })).toBe(true);
    expect(isSameFile(FILE, { ...FILE, [field]: 9n })).toBe(false);
  });

  test('is exact to the nanosecond, and changes with the file', async () => {
    const path = await put('a.bin', 'one');
    const before = await identify(path);
    expect(Object.values(before).map((value) => typeof value)).toEqual(Array(4).fill('bigint'));
    expect(() => requireSame(before, { dev: 0n, ino: 0n, size: 0n, mtimeNs: 0n } as never)).toThrow(
      'still being written',
    );
    requireSame(before, await stat(path, { bigint: true }));
    await utimes(path, 1, 1);
    expect(isSameFile(before, await identify(path))).toBe(false);
  });
});

test('a file that is linked has changed when the source was written to; a copy has not', async () => {
  const path = await put('source', 'before');
  const [linked, copied] = [join(root, 'linked'), join(root, 'copied')];
  const source = await linkOrCopy(path, linked);
  await copyFile(path, copied);
  expect([await wasChanged(linked, source), await wasChanged(copied, source)]).toEqual([false, false]);
  await writeFile(path, 'and after');
  expect([await wasChanged(linked, source), await wasChanged(copied, source)]).toEqual([true, false]);
  // The number of a file means something on one disk only.
  expect(await wasChanged(linked, { ...source, device: source.device + 1n })).toBe(false);
});

describe('files that are opened', () => {
  test('are closed again, whatever happens', async () => {
    const path = await put('a.bin', 'one');
    const before = await openFiles();
    expect(await withFile(path, async (file) => (await file.readFile()).toString())).toBe('one');
    await expect(withFile(path, () => Promise.reject(new Error('no')))).rejects.toThrow('no');
    await syncFolder(root);
    await expect(syncFolder(join(root, 'missing'))).rejects.toThrow('ENOENT');
    readSmall(path);
    await hashFile(await put('large.bin', Buffer.alloc(5 * MEGABYTE)));
    expect(await openFiles()).toBe(before);
  });

  test('are read whole up to half a megabyte', async () => {
    expect(readSmall(await put('small.bin', Buffer.alloc(512 * 1024)))?.data).toHaveLength(512 * 1024);
    expect(readSmall(await put('large.bin', Buffer.alloc(512 * 1024 + 1)))).toBeNull();
  });

  test('have the same digests in pieces as in one', async () => {
    const data = Buffer.from(Array.from({ length: 5 * MEGABYTE + 7 }, (_, n) => (n * 7) % 253));
    const facts = await hashFile(await put('large.bin', data));
    expect(facts).toEqual({
      sha256: createHash('sha256').update(data).digest('hex'),
      crc32: crc32(data).toString(16).padStart(8, '0'),
      bytes: data.length,
      head: expect.anything(),
    });
    expect(Buffer.from(facts.head).equals(data.subarray(0, SNIFF_BYTES))).toBe(true);
  });
});

test("a file that can't be linked is copied", async () => {
  const [path, target] = [await put('a.bin', 'one'), await put('taken.bin', 'other')];
  await linkOrCopy(path, target);
  expect(await readFile(target, 'utf8')).toBe('one');
  expect((await stat(target)).ino).not.toBe((await stat(path)).ino);
});

describe('a staged file', () => {
  const ABSENT = 'f'.repeat(64);
  const FACTS = { sha256: ABSENT, crc32: '00000000', bytes: 1, head: new Uint8Array() };
  const stage = (path: string, isKept: () => Promise<boolean>) =>
    stageFile(path, FACTS, reopenToKeep(path), {
      ...{ target: join(root, 'kept.bin'), copy: { store: 'server', key: 'k' }, isKept },
      own: (work) => work,
    });

  test('that was kept a while ago is looked for before it is kept again', async () => {
    const isKept = vi.fn(async () => true);
    const staged = stage(await put('a.bin', 'x'), isKept);
    const now = Date.now();
    vi.useFakeTimers({ toFake: ['Date'], now });
    await staged.keep();
    vi.setSystemTime(now + 59_999);
    await staged.keep();
    expect(isKept).not.toHaveBeenCalled();
    vi.setSystemTime(now + 60_000);
    await staged.keep();
    expect(isKept).toHaveBeenCalledOnce();
    isKept.mockResolvedValue(false);
    await expect(staged.keep()).rejects.toMatchObject({ code: 'ENOENT' });
  });

  test('that was kept is not what is discarded afterwards', async () => {
    const path = await put('a.bin', 'x');
    const staged = stage(path, async () => true);
    await staged.keep();
    await put('a.bin', 'another');
    await staged.discard();
    expect(await readFile(path, 'utf8')).toBe('another');
  });

  test('that is gone can still be discarded, and then not be kept', async () => {
    const path = await put('a.bin', 'x');
    const staged = stage(path, async () => true);
    await rm(path);
    await staged.discard();
    await expect(staged.keep()).rejects.toThrow('discarded');
  });

  test('that is gone is not kept', async () => {
    await expect(reopenToKeep(join(root, 'missing')).sync()).rejects.toThrow('ENOENT');
  });

  test('with another name of the kept file leaves one of them', async () => {
    const path = await put('a.bin', 'x');
    await link(path, join(root, 'kept.bin'));
    await stage(path, async () => true).keep();
    expect((await readdir(root)).filter((name) => name.endsWith('.bin'))).toEqual(['kept.bin']);
  });
});

test('staging files that nobody has touched for a day are cleared by the room', async () => {
  const sweepStaging = vi.fn(async () => 3);
  const room = storesRoom({ store: { sweepStaging } } as never);
  const sweeps = room.sweeps?.({} as never) ?? [];
  expect([room.name, room.needs, sweeps.map(({ name }) => name)]).toEqual(['stores', [], ['staging']]);
  expect(await sweeps[0]?.run()).toBe(3);
  expect(sweepStaging).toHaveBeenCalledExactlyOnceWith(86_400_000);
});

describe('the store', () => {
  test('has 256 folders, and no other', async () => {
    const store = new DiskStore(root);
    await store.prepare();
    const folders = await readdir(join(root, 'blobs'));
    expect([folders.length, folders[0], folders.at(-1)]).toEqual([256, '00', 'ff']);
  });

  test('keeps bytes that it has, when the same are registered in place', async () => {
    const store = new DiskStore(join(root, 'data'));
    await store.prepare();
    const sent = await store.stage(Readable.from([Buffer.from('same')]), { limitBytes: 100 });
    await sent.keep();
    const path = await put('a.bin', 'same');
    await (await store.importLocalFile(path, { mode: 'place', store: 'inbox', key: 'a.bin' })).keep();
    expect((await lstat(store.localPath(sent.sha256))).isSymbolicLink()).toBe(false);
  });

  test('clears what is older than was asked for, and not what is as old', async () => {
    const store = new DiskStore(root);
    await store.prepare();
    const path = join(store.scratch(), 'abandoned');
    await writeFile(path, 'x');
    await utimes(path, 1000, 1000);
    vi.useFakeTimers({ toFake: ['Date'], now: 1_060_000 });
    expect(await store.sweepStaging(60_000)).toBe(0);
    vi.setSystemTime(1_060_001);
    expect(await store.sweepStaging(60_000)).toBe(1);
  });

  test('tells a fault of its folder from a blob that is gone', async () => {
    const file = await put('no-folder', 'x');
    const quarantine = new DiskQuarantine(join(root, 'aside'), () => join(file, 'below'));
    await expect(quarantine.put('f'.repeat(64))).rejects.toThrow('ENOTDIR');
  });
});
