import { chmod, mkdir, mkdtemp, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { contentDigest } from '../inspection/content-digest.js';
import { api } from '../testing/calls.js';
import { form, startTestServer, type TestServer } from '../testing/harness.js';
import { writeDocument } from './write-document.js';

let allowed: string;
let server: TestServer;
let site: string;
let sites = 0;
beforeAll(async () => {
  allowed = await mkdtemp(join(tmpdir(), 'uniferum-rewrite-'));
  server = await startTestServer({ env: { UNIFERUM_SOURCE_DIRS: allowed } });
});
afterAll(async () => {
  await server.close();
  await rm(allowed, { recursive: true, force: true });
});
beforeEach(async () => {
  sites += 1;
  site = join(allowed, `site-${sites}`);
  await mkdir(site);
});

const post = async (path: string, json: object = {}) => server.call('POST', `${api}${path}`, { json });
const get = async (path: string) => (await server.call('GET', `${api}${path}`)).body;
const read = (path: string) => readFile(join(site, path));
async function write(path: string, text: string | Buffer): Promise<void> {
  await mkdir(dirname(join(site, path)), { recursive: true });
  await writeFile(join(site, path), text);
}
const settings = (writable: boolean) => ({ path: site, url: `https://site-${sites}.example/`, writable });
async function addSource(writable = true): Promise<string> {
  const { id } = (await post('/sources', { name: `Site ${sites}`, settings: settings(writable) })).body;
  await post(`/sources/${id}/index`);
  await server.workUntilIdle();
  return id;
}
/** Runs something to its end. @returns the run */
async function run(path: string, json: object = {}) {
  const { status, body } = await post(path, json);
  expect(status, JSON.stringify(body)).toBe(202);
  await server.workUntilIdle();
  return get(`/runs/${body.run.id}`);
}

const MAP = [{ from: '/old/a.jpg', to: '/media/new/a.jpg' }];

describe('addresses', () => {
  test('are rehearsed, replaced in every kind of document, and brought back to the last byte', async () => {
    const documents: Record<string, string | Buffer> = {
      'a.html':
        '<img src="/old/a.jpg" srcset="../old/a.jpg 2x">\r\n<p style="background:url(&quot;/old/a.jpg&quot;)">é</p>',
      'deep/b.md': '---\ncover: /old/a.jpg\n---\n![x](/old/a.jpg "t") and `![x](/old/a.jpg)`',
      'c.css': "p{background:url('/old/a.jpg')}",
      'd.json': '{"image": "\\/old\\/a.jpg"}',
      'e.xml': '<x><enclosure url="https://SITE/old/a.jpg?x=1&amp;y=2"/></x>',
      'f.html': Buffer.from('<meta charset=iso-8859-1>\xe9\0<img src=/old/a.jpg>\xff', 'latin1'),
      'g.html': '<p>nothing of it: /old/a.jpg</p>',
    };
    for (const [path, text] of Object.entries(documents))
      await write(path, typeof text === 'string' ? text.replace('SITE', `site-${sites}.example`) : text);
    const before = new Map(
      await Promise.all(Object.keys(documents).map(async (path) => [path, await read(path)] as const)),
    );
    await chmod(join(site, 'a.html'), 0o640);
    const source = await addSource();

    const { plan } = (await post('/rewrites?rehearse=true', { sources: [source], map: MAP })).body;
    expect(plan.totals).toEqual({ documents: 6, edits: 9, unreadable: 0 });
    const shown = plan.items.find(({ document }: { document: string }) => document === 'a.html');
    expect(shown.diff[2]).toEqual({
      line: 2,
      lead: '<p style="background:url(&quot;',
      before: '/old/a.jpg',
      after: '/media/new/a.jpg',
      trail: '&quot;)">é</p>',
    });
    expect((await read('a.html')).equals(before.get('a.html') as Buffer)).toBe(true);

    const done = await run('/rewrites', { sources: [source], map: MAP });
    expect(done).toMatchObject({ state: 'done', total: 7, done: 6, skipped: 1, failed: 0, canUndo: true });
    expect((await read('a.html')).toString()).toBe(
      '<img src="/media/new/a.jpg" srcset="/media/new/a.jpg 2x">\r\n<p style="background:url(&quot;/media/new/a.jpg&quot;)">é</p>',
    );
    expect((await read('deep/b.md')).toString()).toContain(
      '![x](/media/new/a.jpg "t") and `![x](/old/a.jpg)`',
    );
    expect((await read('d.json')).toString()).toBe('{"image": "/media/new/a.jpg"}');
    expect((await read('e.xml')).toString()).toContain(
      `"https://site-${sites}.example/media/new/a.jpg?x=1&amp;y=2"`,
    );
    expect((await read('f.html')).toString('latin1')).toBe(
      '<meta charset=iso-8859-1>\xe9\0<img src=/media/new/a.jpg>\xff',
    );
    expect((await stat(join(site, 'a.html'))).mode & 0o777).toBe(0o640);
    // What is known of them is what they are now.
    expect((await get(`/references?source=${source}`)).total).toBe(9);

    const undone = await run(`/runs/${done.id}/undo`);
    expect(undone).toMatchObject({ state: 'done', done: 6, failed: 0 });
    for (const [path, data] of before) expect((await read(path)).equals(data), path).toBe(true);
    expect((await get(`/references?source=${source}`)).total).toBe(0);
    expect((await post(`/runs/${done.id}/undo`)).status).toBe(409);
    expect((await readdir(site, { recursive: true })).filter((name) => /(^|\/)\./.test(name))).toEqual([]);
  });

  test('are replaced by prefix, and uses follow', async () => {
    const file = [{ name: 'a.txt', data: Buffer.from('a') }];
    const { id } = (await server.call('POST', `${api}/assets`, { body: form(`/p${sites}`, file) })).body;
    await write(
      'a.html',
      `<a href="https://files.example/x/a.txt"><a href="https://files.example/other.txt">`,
    );
    const source = await addSource();
    await run('/rewrites', {
      sources: [source],
      prefixes: [{ from: 'https://files.example/x/', to: `${server.url}/media/p${sites}/` }],
    });
    expect((await read('a.html')).toString()).toBe(
      `<a href="${server.url}/media/p${sites}/a.txt"><a href="https://files.example/other.txt">`,
    );
    expect((await get(`/assets/${id}`)).uses).toBe(1);
  });
});

describe('a document that somebody else changed', () => {
  test('after it was planned is left as it is, and reported; nor is it undone', async () => {
    await write('a.html', '<img src=/old/a.jpg>');
    await write('b.html', '<img src=/old/a.jpg>');
    const source = await addSource();
    const done = await run('/rewrites', { sources: [source], map: MAP });
    await write('b.html', '<img src=/media/new/a.jpg> and more');
    const undone = await run(`/runs/${done.id}/undo`);
    expect(undone).toMatchObject({ done: 1, failed: 1 });
    const { items } = await get(`/runs/${undone.id}/items`);
    expect(JSON.stringify(items)).toContain('b.html was changed by someone else and was left unchanged.');
    expect((await read('a.html')).toString()).toBe('<img src=/old/a.jpg>');
    expect((await read('b.html')).toString()).toBe('<img src=/media/new/a.jpg> and more');
  });

  test('is not written, whatever the edits; one that has them already is', async () => {
    await write('a.html', 'one two');
    const edits = [{ from: 0, to: 3, before: 'one', after: 'three' }];
    const change = {
      path: 'a.html',
      edits,
      before: contentDigest(Buffer.from('one two')),
      after: contentDigest(Buffer.from('three two')),
    };
    await write('a.html', 'one TWO');
    expect(await writeDocument(site, change)).toEqual({ kind: 'changed' });
    expect((await read('a.html')).toString()).toBe('one TWO');
    await write('a.html', 'three two');
    expect(await writeDocument(site, change)).toEqual({ kind: 'written' });
    await write('a.html', 'one two');
    expect(await writeDocument(site, change)).toEqual({ kind: 'written' });
    expect((await read('a.html')).toString()).toBe('three two');
    await rm(join(site, 'a.html'));
    expect(await writeDocument(site, change)).toEqual({ kind: 'gone' });
    expect(await writeDocument(site, { ...change, path: '../../etc/passwd' })).toEqual({ kind: 'gone' });
    expect(await readdir(site)).toEqual([]);
  });
});

test('a document that was written when its worker ended, before that was recorded, is undone too', async () => {
  await write('a.html', '<img src=/old/a.jpg>');
  const source = await addSource();
  const done = await run('/rewrites', { sources: [source], map: MAP });
  await server.db.query("UPDATE page_edits SET state = 'planned' WHERE run_id = ?", [done.id]);
  expect(await run(`/runs/${done.id}/undo`)).toMatchObject({ done: 1, failed: 0 });
  expect((await read('a.html')).toString()).toBe('<img src=/old/a.jpg>');
});

describe('a proposed fix', () => {
  test('is the original for a rendition that is not made, and the only file of the name otherwise', async () => {
    const folder = `/fix${sites}`;
    const send = (where: string, name: string) =>
      server.call('POST', `${api}/assets`, {
        body: form(where, [{ name, data: Buffer.from(where + name) }]),
      });
    await send(`${folder}/new`, `only-${sites}.txt`);
    for (const place of ['x', 'y']) await send(`${folder}/${place}`, `twice-${sites}.txt`);
    await write(
      'a.html',
      `<a href="/media${folder}/old/ONLY-${sites}.txt"><a href="/media/old/twice-${sites}.txt"><img src="/media${folder}/new/only-${sites}~none.jpg"><img src="/media/z~none.jpg">`,
    );
    const source = await addSource();
    const { items } = await get(`/references?source=${source}`);
    const media = `${server.url}/media${folder}/new/only-${sites}.txt`;
    expect(items.map(({ fix }: { fix: object | null }) => fix)).toEqual([
      { address: media, by: 'same-name' },
      null,
      { address: media, by: 'original' },
      null,
    ]);
    const ids = items.map(({ id }: { id: string }) => id);
    const { plan } = (await post('/references/fix?rehearse=true', { ids })).body;
    expect(plan.totals).toEqual({ documents: 1, edits: 2, unreadable: 0 });
    const done = await run('/references/fix', { ids });
    expect((await get(`/references?source=${source}`)).total).toBe(2);
    expect((await read('a.html')).toString()).toContain(`<a href="${media}"><a href="/media/old/twice`);
    await run(`/runs/${done.id}/undo`);
    expect((await get(`/references?source=${source}`)).total).toBe(4);
    expect((await post('/references/fix', { ids: ['999999'] })).status).toBe(409);
    await server.call('PATCH', `${api}/sources/${source}`, {
      json: { settings: settings(false) },
    });
    const closed = await post('/references/fix', { all: true, source });
    expect([closed.status, closed.body.detail]).toEqual([409, expect.stringContaining('read-only sources')]);
    await server.call('PATCH', `${api}/sources/${source}`, { json: { settings: settings(true) } });
    await run('/references/fix', { all: true, source });
    expect((await get(`/references?source=${source}`)).total).toBe(2);
    expect((await post('/references/fix', { ids, source })).status).toBe(400);
    const report = await server.call('GET', `${api}/references/report?source=${source}`);
    const lines = report.bytes.toString().trim().split('\r\n');
    expect(lines).toHaveLength(3);
    expect(lines[0]).toBe('source,document,url,title,attribute,address,reason,detail,fix');
    expect(lines[1]).toBe(
      `Site ${sites},a.html,https://site-${sites}.example/a.html,,a href,/media/old/twice-${sites}.txt,unknown,,`,
    );
  });
});

test('a CSV of addresses is taken as a whole, or not at all', async () => {
  await write('a.html', '<img src=/old/a.jpg><img src=/old/b.jpg>');
  const source = await addSource();
  const csv = 'from,to\n/old/a.jpg,/new/a.jpg\n/old/b.jpg,/new/b.jpg\n';
  const faulty = await post('/rewrites', { sources: [source], csv: `${csv}/old/c.jpg\n` });
  expect([faulty.status, faulty.body.detail]).toEqual([
    400,
    expect.stringContaining('row 4: it has one column'),
  ]);
  await run('/rewrites', { sources: [source], csv });
  expect((await read('a.html')).toString()).toBe('<img src=/new/a.jpg><img src=/new/b.jpg>');
});

test("what may not be written is refused, and what can't be rewritten is counted", async () => {
  await write('a.html', '<img src=/old/a.jpg>');
  await write('b.html', Buffer.from('\ufeff<img src=/old/a.jpg>', 'utf16le'));
  const readOnly = await addSource(false);
  const refused = await post('/rewrites', { sources: [readOnly], map: MAP });
  expect([refused.status, refused.body.detail]).toEqual([409, expect.stringContaining('is read-only')]);
  await server.call('PATCH', `${api}/sources/${readOnly}`, {
    json: { settings: { path: site, url: null, writable: true } },
  });
  const { plan } = (await post('/rewrites?rehearse=true', { sources: [readOnly], map: MAP })).body;
  expect(plan.totals).toEqual({ documents: 1, edits: 1, unreadable: 1 });
  expect((await post('/rewrites', { sources: [readOnly] })).status).toBe(400);
  expect((await post('/rewrites', { sources: ['999999'], map: MAP })).status).toBe(404);
  expect((await post('/rewrites', { sources: [], map: MAP })).status).toBe(400);
});
