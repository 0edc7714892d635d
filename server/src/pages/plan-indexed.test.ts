import { randomBytes } from 'node:crypto';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Connection, createConnection } from 'mysql2/promise';
import { afterAll, beforeAll, beforeEach, expect, inject, test, vi } from 'vitest';
import { sha256Of } from '../shared/sha256.js';
import { api } from '../testing/calls.js';
import { startTestServer, type TestServer } from '../testing/harness.js';

// What an index already knows of documents, and when it no longer counts.

const NAME = `indexed_${randomBytes(6).toString('hex')}`;
let server: TestServer;
let site: Connection;
let folder: string;
beforeAll(async () => {
  const { host, port, user, password } = inject('database');
  site = await createConnection({ host, port, user, password });
  await site.query(`CREATE DATABASE ${NAME} CHARACTER SET utf8mb4`);
  folder = await mkdtemp(join(tmpdir(), 'uniferum-indexed-'));
  server = await startTestServer({
    env: { UNIFERUM_ALLOWED_HOSTS: `${host}:${port}`, UNIFERUM_SOURCE_DIRS: folder },
  });
});
afterAll(async () => {
  await server.close();
  await site.query(`DROP DATABASE ${NAME}`);
  await site.end();
  await rm(folder, { recursive: true, force: true });
});

let table: string;
beforeEach(async () => {
  table = `news_${randomBytes(4).toString('hex')}`;
  await site.query(`CREATE TABLE ${NAME}.${table} (id INT PRIMARY KEY, title VARCHAR(60), body MEDIUMTEXT)`);
});

const call = async (method: string, path: string, json?: object) => {
  const { status, body } = await server.call(method, `${api}${path}`, { json });
  expect(status, JSON.stringify(body)).toBeLessThan(300);
  return body;
};
async function run(path: string, json: object = {}) {
  const { run: begun } = await call('POST', path, json);
  await server.workUntilIdle();
  return call('GET', `/runs/${begun.id}`);
}
const insert = (bodies: readonly (string | Buffer)[]) =>
  site.query(`INSERT INTO ${NAME}.${table} (id, body) VALUES ?`, [bodies.map((body, n) => [n + 1, body])]);
async function bodies(): Promise<string[]> {
  const [rows] = await site.query(`SELECT body FROM ${NAME}.${table} ORDER BY id`);
  return (rows as { body: string }[]).map(({ body }) => body);
}
const place = (more: object = {}) => {
  const { host, port, user } = inject('database');
  return {
    ...{ host, port, user, database: NAME, table, key: 'id', columns: [{ name: 'body' }] },
    ...{ url: 'https://www.skerry.example/{id}', titleColumn: 'title', writable: true },
    ...more,
  };
};
async function addTable(): Promise<string> {
  const { password: secret } = inject('database');
  return (await call('POST', '/sources', { kind: 'database', name: table, settings: place(), secret })).id;
}

const FROM = '/old/a.jpg';
const map = (to: string) => [{ from: `https://www.skerry.example${FROM}`, to }];

/** Rewrites, and says which documents were parsed for it. */
async function rewrite(source: string, to: string) {
  const plan = vi.spyOn(server.processes.inspector, 'planRewrites');
  try {
    const ended = await run('/rewrites', { sources: [source], map: map(to) });
    return { ended, parsed: plan.mock.calls.flatMap(([files]) => files.map(({ url }) => url)) };
  } finally {
    plan.mockRestore();
  }
}

test('documents that are as they were indexed are rewritten without parsing them, and others are parsed', async () => {
  await insert([
    `<title>One</title>é<img src="${FROM}"><a href="/other">${FROM}</a>`,
    `<img src="/old&#47;a.jpg">`,
    `<base href="/deep/"><img src="${FROM}">`,
    `<img src="${FROM}">`,
    '<p>nothing</p>',
  ]);
  const source = await addTable();
  await run(`/sources/${source}/index`);
  await site.query(`UPDATE ${NAME}.${table} SET body = CONCAT('<p>new</p>', body) WHERE id = 4`);
  const { ended, parsed } = await rewrite(source, '/media/new/longer.jpg');
  expect(parsed).toEqual([2, 3, 4].map((id) => `https://www.skerry.example/${id}`));
  expect(ended).toMatchObject({ state: 'done', done: 4, failed: 0 });
  const made = [
    `<title>One</title>é<img src="/media/new/longer.jpg"><a href="/other">${FROM}</a>`,
    '<img src="/media/new/longer.jpg">',
    '<base href="/deep/"><img src="/media/new/longer.jpg">',
    '<p>new</p><img src="/media/new/longer.jpg">',
    '<p>nothing</p>',
  ];
  expect(await bodies()).toEqual(made);
  // What is known of them is what would be read.
  const { items } = await call('GET', `/references?state=broken&source=${source}`);
  expect(items.map((one: Record<string, unknown>) => [one.document, one.offset, one.title])).toEqual([
    ['1/body', 30, 'One'],
    ['2/body', 10, null],
    ['3/body', 30, null],
    ['4/body', 20, null],
  ]);
  expect(await run(`/sources/${source}/index`)).toMatchObject({ total: 0 });
  expect(await run(`/runs/${ended.id}/undo`)).toMatchObject({ state: 'done', done: 4 });
  expect((await bodies())[0]).toBe(`<title>One</title>é<img src="${FROM}"><a href="/other">${FROM}</a>`);
});

test('edits of an earlier release, which stored SHA-256, are undone where nobody changed the document', async () => {
  await insert([1, 2].map((n) => `<img src="${FROM}">${n}`));
  const source = await addTable();
  await run(`/sources/${source}/index`);
  const { ended } = await rewrite(source, '/media/new/a.jpg');
  for (const n of [1, 2]) {
    const [before, after] = [FROM, '/media/new/a.jpg'].map((address) =>
      sha256Of(Buffer.from(`<img src="${address}">${n}`)),
    );
    await server.db.query('UPDATE page_edits SET sha256_before = ?, sha256_after = ? WHERE path = ?', [
      ...[before, after, `${n}/body`],
    ]);
  }
  await site.query(`UPDATE ${NAME}.${table} SET body = CONCAT(body, '!') WHERE id = 2`);
  expect(await run(`/runs/${ended.id}/undo`)).toMatchObject({ done: 1, failed: 1 });
  expect(await bodies()).toEqual([`<img src="${FROM}">1`, '<img src="/media/new/a.jpg">2!']);
  const { items } = await call('GET', `/references?state=broken&source=${source}`);
  expect(items.map(({ document }: { document: string }) => document)).toEqual(['2/body']);
});

test('documents of which the index may not hold everything are parsed: very long addresses, and very many', async () => {
  const long = (length: number) => `/old/${'a'.repeat(length - '/old/.jpg'.length)}.jpg`;
  const images = (count: number) => `<img src="${FROM}">`.repeat(count);
  const lengths = [1999, 2000, 2001];
  await insert([
    ...lengths.map((length) => `<img src="${long(length)}">${images(1)}`),
    images(2000),
    images(2001),
  ]);
  const source = await addTable();
  await run(`/sources/${source}/index`);
  const { ended, parsed } = await rewrite(source, '/media/new/a.jpg');
  // The items of the run are worked on side by side.
  expect(parsed.sort()).toEqual([2, 3, 5].map((id) => `https://www.skerry.example/${id}`));
  expect(ended).toMatchObject({ state: 'done', done: 5, failed: 0 });
  const made = images(1).replace(FROM, '/media/new/a.jpg');
  expect(await bodies()).toEqual([
    ...lengths.map((length) => `<img src="${long(length)}">${made}`),
    ...[made.repeat(2000), made.repeat(2001)],
  ]);
});

test('columns of older Unicode are rewritten to the last byte', async () => {
  await site.query(`ALTER TABLE ${NAME}.${table} MODIFY body MEDIUMTEXT CHARACTER SET utf8mb3`);
  await insert([`Zoë €<img src="${FROM}">ß`]);
  const source = await addTable();
  await run(`/sources/${source}/index`);
  const { ended } = await rewrite(source, '/media/new/a.jpg');
  expect(await bodies()).toEqual(['Zoë €<img src="/media/new/a.jpg">ß']);
  expect(await run(`/sources/${source}/index`)).toMatchObject({ total: 0 });
  await run(`/runs/${ended.id}/undo`);
  expect(await bodies()).toEqual([`Zoë €<img src="${FROM}">ß`]);
});

test('an address that has to be escaped is replaced by parsing', async () => {
  await insert([`<img src="${FROM}">`]);
  const source = await addTable();
  await run(`/sources/${source}/index`);
  const { parsed } = await rewrite(source, '/media/new/a&b.jpg');
  expect(parsed).toHaveLength(1);
  expect(await bodies()).toEqual(['<img src="/media/new/a&amp;b.jpg">']);
});

test('what a document says when it is read no longer is what was indexed, and it is left to be parsed', async () => {
  await insert([`<img src="${FROM}">`]);
  const source = await addTable();
  await run(`/sources/${source}/index`);
  // As if it had been indexed in another way, before the settings of its source changed.
  await call('PATCH', `/sources/${source}`, {
    settings: place({ columns: [{ name: 'body', format: 'css' }] }),
  });
  const { parsed, ended } = await rewrite(source, '/media/new/a.jpg');
  expect([parsed.length, ended.done]).toEqual([1, 0]);
  expect(await bodies()).toEqual([`<img src="${FROM}">`]);
});

test('documents are read again when the settings that say how have changed, and only then', async () => {
  await insert([`<img src="a.jpg">`]);
  const table = await addTable();
  await writeFile(join(folder, 'a.html'), '<img src="a.jpg">');
  const settings = { path: folder, url: 'https://www.skerry.example/', writable: false };
  const pages = (await call('POST', '/sources', { name: 'Pages', settings })).id;
  const totals = async () => [
    (await run(`/sources/${table}/index`)).total,
    (await run(`/sources/${pages}/index`)).total,
  ];
  expect(await totals()).toEqual([1, 1]);
  await call('PATCH', `/sources/${table}`, {
    name: `Renamed ${table}`,
    settings: place({ writable: false }),
  });
  await call('PATCH', `/sources/${pages}`, { settings: { ...settings, writable: true } });
  expect(await totals()).toEqual([0, 0]);
  await call('PATCH', `/sources/${table}`, { settings: place({ url: 'https://new.skerry.example/{id}' }) });
  await call('PATCH', `/sources/${pages}`, { settings: { ...settings, url: `${server.url}/media/` } });
  expect(await totals()).toEqual([1, 1]);
  expect(await totals()).toEqual([0, 0]);
  // The address of the pages now is one at which media are: what they refer to is missing there.
  const { items } = await call('GET', `/references?state=broken&source=${pages}`);
  expect(items).toMatchObject([{ document: 'a.html', url: `${server.url}/media/a.html` }]);
});
