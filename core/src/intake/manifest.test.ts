import { describe, expect, test } from 'vitest';
import { MAX_MANIFEST_ROWS, planManifest, proposeMapping } from './manifest.js';

const read = (text: string, mapping: Parameters<typeof planManifest>[1]['mapping'] = null) =>
  planManifest(text, { mapping, folder: '/in' });
const messages = (text: string) => read(text).faults.map(({ message }) => message);

describe('the table', () => {
  test('names of columns are trimmed, and each counts once: the first one', () => {
    const plan = read(' path , path,alt, \na.jpg,b.jpg, One ,\n');
    expect(plan.columns).toEqual(['path', 'alt']);
    expect(plan.rows).toMatchObject([{ source: { value: 'a.jpg' }, texts: { alt: 'One' } }]);
  });

  test('a mark of the byte order counts only at the beginning', () => {
    expect(read('path,alt\n\ufeffa.jpg,x').rows[0]?.source.value).toContain('a.jpg');
    expect(read('path,alt\na.jpg,x\ufeffy').rows[0]?.texts.alt).toBe('x\ufeffy');
  });

  test('JSON is JSON behind space, and a bracket in a table is none', () => {
    expect(read(' \n[{"path":"a.jpg"}]').rows).toHaveLength(1);
    expect(read('path,alt\n[a].jpg,{b}').rows).toMatchObject([
      { source: { value: '[a].jpg' }, texts: { alt: '{b}' } },
    ]);
  });

  test('without names, or without rows', () => {
    expect(messages('')).toEqual(['the header row has no names']);
    expect(messages(' , ,\n1,2,3')).toEqual(['the header row has no names']);
    expect(read('path')).toMatchObject({ columns: ['path'], total: 0, rows: [], faults: [] });
  });

  test("of a hundred columns can be read, and of one more can't", () => {
    const head = (count: number) => ['path', ...Array.from({ length: count - 1 }, (_, n) => `c${n}`)];
    const objects = (count: number) =>
      JSON.stringify([Object.fromEntries(head(count).map((name) => [name, 'x']))]);
    const most = Number(/limit is (\d+)/.exec(messages(head(5000).join(','))[0] ?? '')?.[1]);
    expect(most).toBeGreaterThan(10);
    expect(read(head(most).join(',')).faults).toEqual([]);
    expect(messages(head(most + 1).join(','))).toEqual([`it has ${most + 1} columns; the limit is ${most}`]);
    expect(read(objects(most)).faults).toEqual([]);
    expect(messages(objects(most + 1))).toEqual([`it has ${most + 1} columns; the limit is ${most}`]);
  });

  test('values of JSON are written as text', () => {
    const row = {
      path: ' a.jpg ',
      title: 5,
      alt: null,
      caption: true,
      credit: { by: 'E' },
      keywords: ['x', 2, ['y']],
    };
    expect(read(JSON.stringify([row])).rows[0]).toMatchObject({
      source: { value: 'a.jpg' },
      texts: { title: '5', caption: 'true', credit: '{"by":"E"}', keywords: ['x', '2', 'y'] },
    });
    expect(read(JSON.stringify([row])).rows[0]?.texts).not.toHaveProperty('alt');
  });

  test('what an object inherits is no value', () => {
    const plan = planManifest('[{"path":"a.jpg"},{"toString":"t","path":"b.jpg"}]', {
      mapping: { source: 'path', title: 'toString' },
      folder: '/',
    });
    expect(plan.rows.map(({ texts }) => texts.title)).toEqual([undefined, 't']);
  });

  test('a long message of the reader is cut', () => {
    const [message = ''] = messages(`[{"path": ${'x'.repeat(5000)}`);
    expect(message).toMatch(/^it is not valid JSON: /);
    expect(message.length).toBeLessThan(200);
  });

  test('rows beyond the most are left out, and that is said', () => {
    const rows = Array.from({ length: MAX_MANIFEST_ROWS + 1 }, (_, n) => ({ path: `${n}.jpg` }));
    const plan = read(JSON.stringify(rows));
    expect([plan.total, plan.faults.length]).toEqual([MAX_MANIFEST_ROWS, 1]);
    expect(plan.faults[0]?.message).toContain('remaining rows are ignored');
    expect(read(JSON.stringify(rows.slice(1))).faults).toEqual([]);
  });
});

describe('the mapping', () => {
  test('an exact name goes before one that only holds it, and short names have to be exact', () => {
    expect(proposeMapping(['my title', 'title'])).toEqual({ title: 'title' });
    expect(proposeMapping(['short alternative text'])).toEqual({ alt: 'short alternative text' });
    // "alt", "by" and "as" stand in many words.
    expect(proposeMapping(['altitude', 'nearby', 'aspect', 'salt'])).toEqual({});
    expect(proposeMapping(['Alt', 'BY', 'as'])).toEqual({ alt: 'Alt', credit: 'BY', name: 'as' });
    expect(proposeMapping(['my-dates'])).toEqual({ capturedAt: 'my-dates' });
  });

  test('a column that is not there is said once, and not for each row', () => {
    expect(read('a,b\n1,2\n3,4', { source: 'path' }).faults).toEqual([
      { row: null, column: 'path', message: 'no column contains the path or URL' },
    ]);
    expect(read('a,b\n1,2', {}).faults).toEqual([
      { row: null, column: null, message: 'no column contains the path or URL' },
    ]);
    // A row that can't be read is said all the same.
    expect(read('a,b\n1', {}).faults).toHaveLength(2);
    expect(read('path,alt\na.jpg,x').mapping).toEqual({ source: 'path', alt: 'alt' });
  });
});

describe('a row', () => {
  const row = (values: Record<string, string>) => read(JSON.stringify([{ path: 'a.jpg', ...values }]));

  test('without a source is named with its column', () => {
    expect(read('path,alt\n,x').faults).toEqual([
      { row: 1, column: 'path', message: 'it has no path or URL' },
    ]);
  });

  test.each([
    ['http://x.example/a', 'address'],
    ['HTTPS://x.example/a', 'address'],
    ['data:,a', 'address'],
    ['a/http://b', 'path'],
    ['https/a.jpg', 'path'],
    ['ftp://a', 'path'],
  ])('%s is an %s', (path, kind) => {
    expect(row({ path }).rows[0]?.source).toEqual({ kind, value: path });
  });

  test('has a name and texts only where they stand', () => {
    expect(row({ name: 'b.jpg', title: 'T', alt: '', caption: 'C', credit: 'E' }).rows[0]).toMatchObject({
      name: 'b.jpg',
      texts: { title: 'T', caption: 'C', credit: 'E' },
    });
    expect(row({}).rows[0]).toEqual({
      row: 1,
      source: { kind: 'path', value: 'a.jpg' },
      folder: '/in',
      name: null,
      texts: {},
      capturedAt: null,
    });
  });

  test('keywords are parted by commas, semicolons and bars, and each is there once', () => {
    expect(row({ keywords: ' fog, lamp;fog | , sea wall' }).rows[0]?.texts.keywords).toEqual([
      'fog',
      'lamp',
      'sea wall',
    ]);
    expect(row({ keywords: ' , ;' }).rows[0]?.texts).toEqual({});
  });

  test.each([
    ['2025-06-01', '2025-06-01T00:00:00.000Z'],
    ['2025:06:01 12:30:15', '2025-06-01T12:30:15.000Z'],
    ['2025/06/01 12:30', '2025-06-01T12:30:00.000Z'],
    ['2025-06-01T12:30:15Z', '2025-06-01T12:30:15.000Z'],
    ['2025-06-01T12:30:15.250+02:00', '2025-06-01T12:30:15.000+02:00'],
    ['2025-06-01T12:30:15 -0130', '2025-06-01T12:30:15.000-01:30'],
    ['2024-02-29', '2024-02-29T00:00:00.000Z'],
    ['2025-12-31', '2025-12-31T00:00:00.000Z'],
  ])('the date %s is %s', (date, time) => {
    expect(row({ date }).rows[0]?.capturedAt).toBe(time);
  });

  test.each([
    '2025-02-29',
    '2025-13-01',
    '2025-00-10',
    '2025-06-31',
    '01.06.2025',
    '2025-06-01T25:00',
    '2025-06-01x',
    'x2025-06-01',
  ])('%s is not a date', (date) => {
    expect(row({ date }).faults).toEqual([
      { row: 1, column: 'date', message: expect.stringContaining(`"${date}" is not a date`) },
    ]);
  });

  test('a long text that is no date is cut in the message', () => {
    const [fault] = row({ date: 'x'.repeat(1000) }).faults;
    expect(fault?.message.length).toBeLessThan(200);
    expect(fault?.message).toContain('x…"');
  });

  test('the folder of a row goes before the one of all, and a wrong one is named', () => {
    expect(row({ folder: '/out' }).rows[0]?.folder).toBe('/out');
    expect(row({ folder: '/../x' }).faults).toMatchObject([{ row: 1, column: 'folder' }]);
  });
});
