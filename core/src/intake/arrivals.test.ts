import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { type ArchiveEntry, decodeEntryName, planArchive } from './archive.js';
import { parseDataUri } from './data-uri.js';
import { MAX_MANIFEST_ROWS, planManifest, proposeMapping } from './manifest.js';

const LIMITS = { maxEntries: 100, maxBytes: 1_000_000_000, maxRatio: 200 };
let offset = 0;
const entry = (name: string, more: Partial<ArchiveEntry> = {}): ArchiveEntry => {
  offset += 1000;
  return {
    name,
    bytes: 10,
    compressedBytes: 10,
    offset,
    isEncrypted: false,
    isLink: false,
    isReadable: true,
    ...more,
  };
};

describe('an archive', () => {
  test('is planned into folders, without folders of its own and litter', () => {
    const plan = planArchive(
      [entry('a/'), entry('a/b.jpg'), entry('a\\c\\d.jpg'), entry('.DS_Store'), entry('e.jpg')],
      '/lights',
      LIMITS,
    );
    expect(plan).toMatchObject({
      ok: true,
      ignored: 1,
      entries: [
        { index: 1, name: 'b.jpg', folder: '/lights/a' },
        { index: 2, name: 'd.jpg', folder: '/lights/a/c' },
        { index: 4, name: 'e.jpg', folder: '/lights' },
      ],
    });
  });

  test('never leads out of its folder, whatever its names', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom('.', '/', '\\', 'a', ':', '~', ' ', '\u0000') }),
        (name) => {
          const plan = planArchive([entry(name)], '/lights', LIMITS);
          if (plan.ok)
            for (const { folder } of plan.entries)
              expect(folder === '/lights' || folder.startsWith('/lights/')).toBe(true);
          if (plan.ok) for (const { folder } of plan.entries) expect(folder.split('/')).not.toContain('..');
        },
      ),
    );
  });

  test('of more than the limit in all is refused as a whole', () => {
    const half = { bytes: 600_000_000, compressedBytes: 500_000_000 };
    const entries = [entry('a', half), { ...entry('b', half), offset: 600_000_000 }];
    expect(planArchive(entries, '/', LIMITS)).toMatchObject({ ok: false, entry: null });
  });

  test('names are code page 437 when they are nothing else', () => {
    // APPNOTE appendix D; 0x81 is "ü" and 0xE1 is "ß" in code page 437.
    expect(decodeEntryName(Uint8Array.from([0x81, 0xe1]), false)).toBe('üß');
  });
});

describe('a data URI', () => {
  test.each([
    // RFC 2397, section 4; the second is its example of a type without data of its own.
    ['data:,A%20brief%20note', 'text/plain', 'A brief note'],
    ['data:text/plain;charset=iso-8859-7,%be%fe%be', 'text/plain', null],
    ['data:application/json,{"a":1}', 'application/json', '{"a":1}'],
    ['data:text/plain;base64,Zm9n', 'text/plain', 'fog'],
    ['data:text/plain;base64,Zm9%6E', 'text/plain', 'fog'],
  ])('%s is read', (uri, mime, text) => {
    const read = parseDataUri(uri);
    expect(read).toMatchObject({ ok: true, mime });
    if (read.ok && text !== null) expect(new TextDecoder().decode(read.bytes)).toBe(text);
  });

  test.each([
    'data:',
    'http://x',
    'data:text/plain;base64,%%%',
    'data:text/plain;base64,a',
    'data:nonsense/,x',
    'data:,%g0',
  ])('%s is none', (uri) => {
    expect(parseDataUri(uri).ok).toBe(false);
  });

  test('gives any bytes back', () => {
    fc.assert(
      fc.property(fc.uint8Array(), (bytes) => {
        const read = parseDataUri(`data:image/png;base64,${Buffer.from(bytes).toString('base64')}`);
        expect(read.ok && Buffer.from(read.bytes).equals(Buffer.from(bytes))).toBe(true);
      }),
    );
  });
});

describe('a manifest', () => {
  const read = (text: string) => planManifest(text, { mapping: null, folder: '/' });

  test.each([
    ['commas', 'path,alt\na.jpg,"One, two"\n'],
    ['semicolons', 'path;alt\na.jpg;One, two\n'],
    ['tabs', 'path\talt\na.jpg\tOne, two\n'],
    ['a byte order mark and CRLF', '\ufeffpath,alt\r\na.jpg,"One, two"\r\n'],
    ['JSON', '[{"path":"a.jpg","alt":"One, two"}]'],
  ])('with %s is the same table', (_what, text) => {
    expect(read(text)).toMatchObject({
      columns: ['path', 'alt'],
      total: 1,
      rows: [{ source: { kind: 'path', value: 'a.jpg' }, texts: { alt: 'One, two' } }],
      faults: [],
    });
  });

  test.each([
    ['a quote that never closes', 'path,alt\na.jpg,"open\n', 1, 'never closed'],
    ['too few values', 'path,alt,title\na.jpg\n', 1, 'fewer values'],
    ['too many values', 'path,alt\na.jpg,b,c\n', 1, 'more values'],
    ['no list', '{"path":"a.jpg"}', null, 'list of objects'],
    ['a row that is no object', '[{"path":"a.jpg"},5]', 2, 'an object is expected'],
  ])('with %s says which row', (_what, text, row, message) => {
    expect(read(text).faults[0]).toMatchObject({ row, message: expect.stringContaining(message) });
  });

  test('columns are recognised by their names, each for one field', () => {
    expect(
      proposeMapping(['File Path', 'Alt Text', 'Description', 'Photographer', 'Tags', 'Date taken', 'Other']),
    ).toEqual({
      source: 'File Path',
      alt: 'Alt Text',
      caption: 'Description',
      credit: 'Photographer',
      keywords: 'Tags',
      capturedAt: 'Date taken',
    });
  });

  test('a row with a fault is left out and listed, the others are planned', () => {
    const plan = planManifest(
      'path,folder,date\na.jpg,/one,2025-06-01\nb.jpg,/../up,\nc.jpg,,31.12.2025\nhttps://x.example/d.jpg,,2025:06:01 12:00:00\n',
      { mapping: { source: 'path', folder: 'folder', capturedAt: 'date' }, folder: '/default' },
    );
    expect(
      plan.rows.map(({ row, source, folder, capturedAt }) => [row, source.kind, folder, capturedAt]),
    ).toEqual([
      [1, 'path', '/one', '2025-06-01T00:00:00.000Z'],
      [4, 'address', '/default', '2025-06-01T12:00:00.000Z'],
    ]);
    expect(plan.faults.map(({ row }) => row)).toEqual([2, 3]);
  });

  test.each([
    ['a table', `path,__proto__,constructor\na.jpg,polluted,x\n`],
    ['JSON', '[{"path":"a.jpg","__proto__":"polluted","constructor":{"toString":1}}]'],
  ])('of %s may name its columns like the members of every object', (_what, text) => {
    expect(read(text)).toMatchObject({
      columns: ['path', '__proto__', 'constructor'],
      rows: [{ source: { value: 'a.jpg' } }],
    });
    expect(planManifest(text, { mapping: { source: '__proto__' }, folder: '/' }).rows[0]?.source.value).toBe(
      'polluted',
    );
    expect({}).not.toHaveProperty('polluted');
  });

  test.each([
    ['a table', `path\n${'a.jpg\n'.repeat(MAX_MANIFEST_ROWS + 5)}`],
    ['JSON', JSON.stringify(Array.from({ length: MAX_MANIFEST_ROWS + 5 }, () => ({ path: 'a.jpg' })))],
  ])('of %s that is too long is taken up to its limit, and says so', (_what, text) => {
    const { rows, total, faults } = read(text);
    expect([rows.length, total]).toEqual([MAX_MANIFEST_ROWS, MAX_MANIFEST_ROWS]);
    expect(faults).toEqual([
      { row: null, column: null, message: expect.stringContaining('more than 100000') },
    ]);
  });

  test('of just as many rows as are taken has no fault', () => {
    const { total, faults } = read(`path\n${'a.jpg\n'.repeat(MAX_MANIFEST_ROWS)}`);
    expect([total, faults]).toEqual([MAX_MANIFEST_ROWS, []]);
  });

  test('with more columns than can be read is not read', () => {
    const names = Array.from({ length: 1000 }, (_, n) => `c${n}`).join(',');
    expect(read(`${names}\n`).faults[0]?.message).toContain('1000 columns');
  });

  test("with a date that can't be kept says so", () => {
    expect(read('path,date\na.jpg,0000-05-05\n').faults[0]?.message).toContain('is not a date');
  });
});
