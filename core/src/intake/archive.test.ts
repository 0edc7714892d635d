import { describe, expect, test } from 'vitest';
import { MAX_PATH_LENGTH } from '../library/paths.js';
import { type ArchiveEntry, archiveFolder, decodeEntryName, planArchive } from './archive.js';

const LIMITS = { maxEntries: 3, maxBytes: 100_000_000, maxRatio: 100 };

const entry = (name: string, more: Partial<ArchiveEntry> = {}): ArchiveEntry => ({
  name,
  bytes: 10,
  compressedBytes: 10,
  offset: 0,
  isEncrypted: false,
  isLink: false,
  isReadable: true,
  ...more,
});
/** Entries one behind the other, as an archive holds them. */
const inLine = (...entries: ArchiveEntry[]) => {
  let offset = 0;
  return entries.map((one) => {
    const placed = { ...one, offset };
    offset += 30 + one.compressedBytes;
    return placed;
  });
};
const plan = (...entries: ArchiveEntry[]) => planArchive(inLine(...entries), '/lights', LIMITS);

describe('one unsafe entry refuses the archive and is named', () => {
  test.each([
    ['no name', entry(''), /empty/],
    ['a zero byte', entry('a\u0000.jpg'), /zero byte/],
    ['an absolute path', entry('/etc/a.jpg'), /absolute/],
    ['a backslash in front', entry('\\a.jpg'), /absolute/],
    ['a drive', entry('c:\\a.jpg'), /absolute/],
    ['a capital drive', entry('C:/a.jpg'), /absolute/],
    ['a way out', entry('a/../../b.jpg'), /points outside/],
    ['a way out by backslashes', entry('a\\..\\b.jpg'), /points outside/],
    ['a link', entry('a.jpg', { isLink: true }), /link/],
    ['encryption', entry('a.jpg', { isEncrypted: true }), /password/],
    ['an unknown method', entry('a.jpg', { isReadable: false }), /deflate/],
    ['a bomb', entry('a.jpg', { bytes: 10_000_101, compressedBytes: 100_001 }), /from 100 kB to 10 MB/],
  ])('%s', (_what, bad, message) => {
    expect(plan(entry('good.jpg'), bad)).toEqual({
      ok: false,
      entry: bad.name,
      message: expect.stringMatching(message),
    });
  });

  test.each([
    ['a drive inside of a name', 'a/c:d.jpg'],
    ['a colon behind two letters', 'ab:c.jpg'],
    ['dots in a name', 'a..b/...jpg'],
  ])('%s is none', (_what, name) => {
    expect(plan(entry(name)).ok).toBe(true);
  });

  test('growth matters from ten megabytes on, and more than by the ratio', () => {
    expect(plan(entry('a', { bytes: 10_000_000, compressedBytes: 1 })).ok).toBe(true);
    expect(plan(entry('a', { bytes: 10_000_001, compressedBytes: 1 })).ok).toBe(false);
    expect(plan(entry('a', { bytes: 20_000_000, compressedBytes: 200_000 })).ok).toBe(true);
    expect(plan(entry('a', { bytes: 20_000_001, compressedBytes: 200_000 })).ok).toBe(false);
  });
});

describe('an archive as a whole', () => {
  test('has as many entries as are taken, and not one more', () => {
    const entries = ['a', 'b', 'c', 'd'].map((name) => entry(name));
    expect(plan(...entries.slice(0, 3)).ok).toBe(true);
    expect(plan(...entries)).toEqual({
      ok: false,
      entry: null,
      message: 'It has 4 entries; the limit is 3.',
    });
  });

  test('is refused by what it states, before its entries are read', () => {
    expect(planArchive([], '/', LIMITS, 4_000_000)).toMatchObject({
      ok: false,
      entry: null,
      message: 'It has 4,000,000 entries; the limit is 3.',
    });
    expect(planArchive(inLine(entry('a'), entry('b')), '/', LIMITS, 1)).toMatchObject({
      ok: false,
      entry: null,
      message: 'It declares 1 entries but contains 2. Create the archive again.',
    });
  });

  test('has as many bytes as are taken, and not one more', () => {
    const half = entry('a', { bytes: 50_000_000, compressedBytes: 40_000_000 });
    expect(plan(half, { ...half, name: 'b' }).ok).toBe(true);
    expect(plan(half, { ...half, name: 'b', bytes: 50_000_001 })).toMatchObject({
      ok: false,
      entry: null,
      message: 'It unpacks to more than 100 MB.',
    });
  });

  test('has no entries that share bytes, whatever their order', () => {
    const [first, second] = inLine(entry('a'), entry('b')) as [ArchiveEntry, ArchiveEntry];
    expect(planArchive([second, first], '/', LIMITS).ok).toBe(true);
    const near = { ...second, offset: second.offset - 1 };
    for (const entries of [
      [first, near],
      [near, first],
    ])
      expect(planArchive(entries, '/', LIMITS)).toMatchObject({
        ok: false,
        entry: 'b',
        message: 'It overlaps another entry, which only zip bombs do.',
      });
    expect(planArchive([first, { ...second, offset: 0 }], '/', LIMITS).ok).toBe(false);
  });

  test('what systems leave in it is counted, and folders are not', () => {
    const { ignored, entries } = planArchive(
      inLine(entry('a/'), entry('__MACOSX/a/._b.jpg'), entry('a/Thumbs.db')),
      '/',
      LIMITS,
    ) as { ignored: number; entries: unknown[] };
    expect([ignored, entries]).toEqual([2, []]);
  });

  test('folders that are too long together are refused at the entry', () => {
    const deep = (length: number) => `${'a/'.repeat((length - '/lights'.length) / 2)}f.jpg`;
    const odd = MAX_PATH_LENGTH - ((MAX_PATH_LENGTH - '/lights'.length) % 2);
    expect(plan(entry(deep(odd))).ok).toBe(true);
    expect(plan(entry(deep(odd + 2)))).toMatchObject({
      ok: false,
      entry: deep(odd + 2),
      message: `Its folder path is longer than ${MAX_PATH_LENGTH} characters.`,
    });
  });
});

test('names are UTF-8 where they can be, and code page 437 where they may be', () => {
  const bytes = (text: string) => new TextEncoder().encode(text);
  expect(decodeEntryName(bytes('Küste.jpg'), false)).toBe('Küste.jpg');
  expect(decodeEntryName(bytes('\ufeffa'), false)).toBe('\ufeffa');
  // Says that it is UTF-8, and is none: the replacement character stands for what can't be read.
  expect(decodeEntryName(Uint8Array.from([0x61, 0x81]), true)).toBe('a\ufffd');
  // APPNOTE appendix D: 0x80 is "Ç", 0xFF a space that does not break; below 128 it is ASCII.
  expect(decodeEntryName(Uint8Array.from([0x7f, 0x80, 0xff]), false)).toBe('\u007fÇ\u00a0');
});

test.each([
  ['/lights', 'views.zip', '/lights/views'],
  ['', 'views.zip', '/views'],
  ['/', 'views.tar.gz', '/views.tar'],
  ['/a', 'no extension', '/a/no extension'],
  ['/a', 'Plans.ZIP', '/a/Plans'],
])('an archive in %s named %s is unpacked into %s', (folder, name, own) => {
  expect(archiveFolder(folder, name)).toBe(own);
});
