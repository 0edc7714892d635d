import { randomBytes } from 'node:crypto';
import { type Connection, createConnection } from 'mysql2/promise';
import { afterAll, beforeAll, beforeEach, describe, expect, inject, test } from 'vitest';
import { contentDigest } from '../inspection/content-digest.js';
import { selectOne } from '../shared/database.js';
import { api } from '../testing/calls.js';
import { type Line, openLine } from '../testing/faults.js';
import { eventually, form, startTestServer, type TestServer } from '../testing/harness.js';
import { createEngine } from '../worker.js';
import { openSource } from './open-source.js';
import type { PageSource } from './source.js';
import { findSource } from './source-queries.js';
import { fillUrl } from './table-values.js';

// The database of a site is one of its own on the same MariaDB, reached over a line that can be cut.

const HOST = '127.0.0.1';
const NAME = `site_${randomBytes(6).toString('hex')}`;
let server: TestServer;
let line: Line;
let site: Connection;
beforeAll(async () => {
  const { host, port, user, password } = inject('database');
  site = await createConnection({ host, port, user, password, multipleStatements: true });
  await site.query(`CREATE DATABASE ${NAME} CHARACTER SET utf8mb4; USE ${NAME}`);
  for (const right of ['reader', 'writer'])
    await site.query(
      `CREATE USER '${right}_${NAME}'@'127.0.0.1' IDENTIFIED BY 'pass ${right}';
       GRANT SELECT${right === 'writer' ? ', UPDATE' : ''} ON ${NAME}.* TO '${right}_${NAME}'@'127.0.0.1'`,
    );
  line = await openLine(port);
  server = await startTestServer({ env: { UNIFERUM_ALLOWED_HOSTS: `${HOST}:${line.port}` } });
});
afterAll(async () => {
  await server.close();
  await line.close();
  for (const right of ['reader', 'writer']) await site.query(`DROP USER '${right}_${NAME}'@'127.0.0.1'`);
  await site.query(`DROP DATABASE ${NAME}`);
  await site.end();
});

let tables = 0;
let table: string;
beforeEach(async () => {
  tables += 1;
  table = `news_${tables}`;
  await site.query(
    `CREATE TABLE ${table} (id INT PRIMARY KEY, slug VARCHAR(60), title VARCHAR(60), body MEDIUMTEXT, note TEXT)`,
  );
});

const rowsOf = async (sql: string, values: unknown[] = []) =>
  (await site.query(sql, values))[0] as Record<string, string | Buffer | null>[];
const insert = (id: number, body: string | null, more: { title?: string; note?: string } = {}) =>
  site.query(`INSERT INTO ${table} (id, slug, title, body, note) VALUES (?, ?, ?, ?, ?)`, [
    ...[id, `news/n ${id}`, more.title ?? `News ${id}`, body, more.note ?? null],
  ]);
const bodyOf = async (id: number) => (await rowsOf(`SELECT body FROM ${table} WHERE id = ?`, [id]))[0]?.body;

const settings = (more: object = {}) => ({
  ...{ host: HOST, port: line.port, user: `writer_${NAME}`, database: NAME, table, key: 'id' },
  columns: [{ name: 'body' }],
  titleColumn: 'title',
  url: 'https://www.skerry.example/{slug}',
  writable: true,
  ...more,
});
const post = (path: string, json: object = {}) => server.call('POST', `${api}${path}`, { json });
const get = async (path: string) => (await server.call('GET', `${api}${path}`)).body;
async function addSource(
  more: object = {},
  secret = 'pass writer',
  name = `News ${tables}`,
): Promise<string> {
  const { status, body } = await post('/sources', {
    ...{ kind: 'database', name, settings: settings(more), secret },
  });
  expect(status, JSON.stringify(body)).toBe(201);
  return body.id;
}
/** Runs something to its end. @returns the run */
async function run(path: string, json: object = {}) {
  const { status, body } = await post(path, json);
  expect(status, JSON.stringify(body)).toBe(202);
  await server.workUntilIdle();
  return get(`/runs/${body.run.id}`);
}
const stepsOf = async (id: string) => (await post(`/sources/${id}/test`)).body.steps;
async function send(name: string): Promise<string> {
  const data = Buffer.from(`${table} ${name}`);
  return (await server.call('POST', `${api}/assets`, { body: form(`/${table}`, [{ name, data }]) })).body.id;
}

const OUTCOMES = ['written', 'changed', 'gone', 'written'];

describe('columns of a table', () => {
  test('are indexed: uses have the title and the address of their page, and a run reads only what changed', async () => {
    const asset = await send('a.txt');
    for (const id of [1, 2, 3]) await insert(id, `<p>é<a href="${server.url}/media/${table}/a.txt">x</a>`);
    await insert(4, null);
    await insert(5, '');
    const source = await addSource();
    expect(await run(`/sources/${source}/index`)).toMatchObject({ state: 'done', total: 3 });
    const { items } = await get(`/assets/${asset}/uses`);
    expect(items[1]).toMatchObject({
      ...{ document: '2/body', title: 'News 2', attribute: 'a href', offset: 14 },
      url: 'https://www.skerry.example/news/n%202',
    });
    expect(await get(`/sources/${source}`)).toMatchObject({ documents: 3, references: 3, broken: 0 });
    expect(await run(`/sources/${source}/index`)).toMatchObject({ total: 0 });
    await site.query(`UPDATE ${table} SET body = 'none' WHERE id = 1; DELETE FROM ${table} WHERE id = 2`);
    await site.query(`UPDATE ${table} SET title = 'Another' WHERE id = 3`);
    expect(await run(`/sources/${source}/index`)).toMatchObject({ total: 3, done: 3 });
    expect((await get(`/assets/${asset}/uses`)).items).toMatchObject([
      { document: '3/body', title: 'Another' },
    ]);
  });

  test('are all listed, however many there are, by keys of numbers and of texts', async () => {
    const rows = Array.from({ length: 4500 }, (_, n) => [n + 1, `k${n}`, '<p>x</p>']);
    await site.query(`INSERT INTO ${table} (id, slug, body) VALUES ?`, [rows]);
    await site.query(`CREATE TABLE ${table}_texts (id VARCHAR(20) PRIMARY KEY, body TEXT)`);
    await site.query(`INSERT INTO ${table}_texts SELECT slug, body FROM ${table}`);
    const numbers = await addSource();
    const texts = await addSource(
      { table: `${table}_texts`, titleColumn: null, url: null },
      'pass writer',
      `Texts ${tables}`,
    );
    for (const source of [numbers, texts]) {
      expect((await post(`/sources/${source}/index`)).body.run.total).toBe(4500);
      await server.workUntilIdle();
      expect((await get(`/sources/${source}`)).documents).toBe(4500);
      expect((await post(`/sources/${source}/index`)).body.run.total).toBe(0);
    }
  });

  test('are read as the format that each has', async () => {
    const asset = await send('a.txt');
    const address = `/media/${table}/a.txt`;
    await insert(1, `![no](${server.url}${address})`, { note: `![yes](${server.url}${address})` });
    const source = await addSource({ columns: [{ name: 'body' }, { name: 'note', format: 'markdown' }] });
    await run(`/sources/${source}/index`);
    expect((await get(`/assets/${asset}/uses`)).items).toMatchObject([{ document: '1/note' }]);
  });

  test('can have any unique key, with any signs in it', async () => {
    const asset = await send('a.txt');
    await site.query(
      `CREATE TABLE ${table}_keyed (path VARCHAR(190) UNIQUE, body TEXT); INSERT INTO ${table}_keyed VALUES (?, ?), (?, ?)`,
      [...['a/b c.html', `<a href=${server.url}/media/${table}/a.txt>`], ...["%' OR 1=1 --", 'x']],
    );
    const source = await addSource({ table: `${table}_keyed`, key: 'path', titleColumn: null, url: null });
    expect(await run(`/sources/${source}/index`)).toMatchObject({ done: 2, state: 'done' });
    expect((await get(`/assets/${asset}/uses`)).items).toMatchObject([
      { document: 'a%2Fb%20c.html/body', url: null },
    ]);
  });
});

describe('addresses in a database', () => {
  const MAP = [{ from: 'https://www.skerry.example/old/a.jpg', to: '/media/new/a.jpg' }];

  test('are rehearsed, replaced in any character set, and brought back to the last byte', async () => {
    await site.query(
      `CREATE TABLE ${table}_sets (id INT PRIMARY KEY, west TEXT CHARACTER SET latin1, wide TEXT CHARACTER SET utf8mb4,
         bytes BLOB, changed TIMESTAMP DEFAULT CURRENT_TIMESTAMP)`,
    );
    const bytes = Buffer.from('é\0\xff<img src="/old/a.jpg">', 'latin1');
    await site.query(`INSERT INTO ${table}_sets (id, west, wide, bytes) VALUES (1, ?, ?, ?)`, [
      'Zoë €<img src="/old/a.jpg">',
      '🗼<img src="/old/a.jpg?x=1&amp;y=2">',
      bytes,
    ]);
    const read = async () => (await rowsOf(`SELECT west, wide, bytes FROM ${table}_sets`))[0];
    const before = await read();
    const columns = ['west', 'wide', 'bytes'].map((name) => ({ name }));
    const more = {
      table: `${table}_sets`,
      columns,
      titleColumn: null,
      url: 'https://www.skerry.example/{id}',
    };
    const source = await addSource(more);
    await run(`/sources/${source}/index`);
    const { body } = await post('/rewrites?rehearse=true', { sources: [source], map: MAP });
    expect(body.plan.totals).toEqual({ documents: 3, edits: 3, unreadable: 0 });
    expect(body.plan.items[0]).toMatchObject({ document: expect.stringMatching('^1/'), edits: 1 });
    expect(await read()).toEqual(before);
    const rewriting = await run('/rewrites', { sources: [source], map: MAP });
    expect(rewriting).toMatchObject({ state: 'done', done: 3, failed: 0 });
    expect(await read()).toEqual({
      west: 'Zoë €<img src="/media/new/a.jpg">',
      wide: '🗼<img src="/media/new/a.jpg?x=1&amp;y=2">',
      bytes: Buffer.from('é\0\xff<img src="/media/new/a.jpg">', 'latin1'),
    });
    expect(await run(`/runs/${rewriting.id}/undo`)).toMatchObject({ state: 'done', done: 3 });
    expect(await read()).toEqual(before);
  });

  test.each([
    [
      'whole numbers',
      'id BIGINT UNSIGNED PRIMARY KEY',
      ['7', '9007199254740993', '9007199254740992', '18446744073709551615'],
    ],
    ['texts', 'id VARCHAR(40) PRIMARY KEY, KEY (id)', ["it's", '7', 'a/b', 'a b']],
  ])(
    'by %s are replaced whatever their size and number; nothing has to be read again',
    async (_, key, ids) => {
      await site.query(
        `CREATE TABLE ${table}_many (${key}, name VARCHAR(60) CHARACTER SET latin1, body MEDIUMTEXT)`,
      );
      const image = '<p>Zoë 🗼</p><img src="/old/a.jpg">';
      // As many edits as one statement makes of a document, and one more.
      const bodies = [image, image.repeat(60), image.repeat(61), `${'x'.repeat(5_000_000)}${image}`];
      for (const [n, body] of bodies.entries())
        await site.query(`INSERT INTO ${table}_many VALUES (?, 'Zoë', ?)`, [ids[n], body]);
      const place = { table: `${table}_many`, titleColumn: 'name', url: 'https://www.skerry.example/{id}' };
      const source = await addSource(place);
      expect(await run(`/sources/${source}/index`)).toMatchObject({ done: 4, failed: 0 });
      const rewriting = await run('/rewrites', { sources: [source], map: MAP });
      expect(rewriting).toMatchObject({ state: 'done', done: 4, failed: 0 });
      for (const [n, body] of bodies.entries()) {
        const [row] = await rowsOf(`SELECT body FROM ${table}_many WHERE id = ?`, [ids[n]]);
        expect(row?.body === body.replaceAll('/old/', '/media/new/')).toBe(true);
      }
      expect(await run(`/sources/${source}/index`)).toMatchObject({ total: 0 });
      expect((await get(`/references?state=broken&source=${source}`)).total).toBe(123);
      expect(await run(`/runs/${rewriting.id}/undo`)).toMatchObject({ state: 'done', done: 4 });
      const [row] = await rowsOf(`SELECT body FROM ${table}_many WHERE id = ?`, [ids[1]]);
      expect(row?.body).toBe(bodies[1]);
    },
  );

  test('that somebody changed in between are reported, and never overwritten', async () => {
    for (const id of [1, 2]) await insert(id, `<img src="/old/a.jpg">${id}`);
    const source = await addSource();
    await run(`/sources/${source}/index`);
    const rewriting = await run('/rewrites', { sources: [source], map: MAP });
    await site.query(`UPDATE ${table} SET body = CONCAT(body, ' by hand') WHERE id = 1`);
    const undo = await run(`/runs/${rewriting.id}/undo`);
    expect(undo).toMatchObject({ state: 'faulty', done: 1, failed: 1 });
    const { items } = await get(`/runs/${undo.id}/items`);
    expect(items[0].note).toBe('1/body was changed by someone else and was left unchanged.');
    expect(await bodyOf(1)).toBe('<img src="/media/new/a.jpg">1 by hand');
    expect(await bodyOf(2)).toBe('<img src="/old/a.jpg">2');
  });

  test.each(['InnoDB', 'Aria'])(
    "are written together, and each by itself where one of them can't be: %s",
    async (engine) => {
      await site.query(`ALTER TABLE ${table} MODIFY body VARCHAR(40), ENGINE = ${engine}`);
      for (const id of [1, 2, 3, 4, 5]) await insert(id, `<img src="/old/${id}.jpg">`);
      const source = await findSource(server.db, await addSource());
      const opened = await openSource(server, source as PageSource);
      const change = (id: number, to: string) => {
        const bytes = Buffer.from(`<img src="/old/${id}.jpg">`);
        const edits = [{ from: 10, to: 20, before: `/old/${id}.jpg`, after: to }];
        const after = Buffer.from(`<img src="${to}">`);
        return {
          path: `${id}/body`,
          edits,
          before: contentDigest(bytes),
          after: contentDigest(after),
          bytes,
        };
      };
      await site.query(`UPDATE ${table} SET body = 'by hand' WHERE id = 2`);
      await site.query(`DELETE FROM ${table} WHERE id = 3`);
      await site.query(`UPDATE ${table} SET body = '<img src="/new/5.jpg">' WHERE id = 5`);
      const changes = [1, 2, 3, 5].map((id) => change(id, `/new/${id}.jpg`));
      expect((await opened.write(changes)).map(({ kind }) => kind)).toEqual(OUTCOMES);
      // Written once: the same again finds it as it was written.
      expect((await opened.write(changes)).map(({ kind }) => kind)).toEqual(OUTCOMES);
      const confirmed = await opened.confirm?.(changes);
      expect(confirmed?.map(({ path }) => path)).toEqual(['1/body', '5/body']);
      await site.query(`UPDATE ${table} SET body = '<img src="/old/1.jpg">' WHERE id = 1`);
      const long = change(4, `/new/${'x'.repeat(40)}.jpg`);
      const mixed = await opened.write([change(1, '/new/1.jpg'), long]);
      expect(mixed.map(({ kind }) => kind)).toEqual(['written', 'failed']);
      await opened.close();
      expect([await bodyOf(1), await bodyOf(2), await bodyOf(4)]).toEqual([
        '<img src="/new/1.jpg">',
        'by hand',
        '<img src="/old/4.jpg">',
      ]);
    },
  );

  test.each([false, true])(
    'that workers change the same way at once are changed by all; read before: %s',
    async (isRead) => {
      const source = (await findSource(server.db, await addSource())) as PageSource;
      const workers = await Promise.all([1, 2, 3].map(() => openSource(server, source)));
      // Without what was read, each value is read, compared and written by itself; with it, several by one statement.
      const bytes = Buffer.from('<img src="/old.jpg">');
      const before = contentDigest(Buffer.from('<img src="/old.jpg">'));
      const after = contentDigest(Buffer.from('<img src="/new.jpg">'));
      const edits = [{ from: 10, to: 18, before: '/old.jpg', after: '/new.jpg' }];
      for (let id = 1; id <= 40; id += 1) {
        await insert(id, '<img src="/old.jpg">');
        const change = { path: `${id}/body`, edits, before, after, ...(isRead && { bytes }) };
        const outcomes = await Promise.all(workers.map((worker) => worker.write([change])));
        expect(outcomes.flat().map(({ kind }) => kind)).toEqual(['written', 'written', 'written']);
        expect(await bodyOf(id)).toBe('<img src="/new.jpg">');
      }
      await Promise.all(workers.map((worker) => worker.close()));
    },
  );

  test('that would not fit are left as they are', async () => {
    await site.query(`ALTER TABLE ${table} MODIFY body VARCHAR(30)`);
    await insert(1, '<img src="/old/a.jpg">');
    const source = await addSource();
    await run(`/sources/${source}/index`);
    const map = [{ from: MAP[0]?.from, to: '/media/a/much/longer/address.jpg' }];
    const rewriting = await run('/rewrites', { sources: [source], map });
    expect(rewriting).toMatchObject({ state: 'faulty', failed: 1 });
    expect((await get(`/runs/${rewriting.id}/items`)).items[0].note).toContain(
      'longer than its column allows',
    );
    expect(await bodyOf(1)).toBe('<img src="/old/a.jpg">');
  });

  test('of a read-only source, or of a user without the right, are not replaced', async () => {
    await insert(1, '<img src="/old/a.jpg">');
    const closed = await addSource({ writable: false });
    expect((await post('/rewrites', { sources: [closed], map: MAP })).status).toBe(409);
    const { status } = await server.call('PATCH', `${api}/sources/${closed}`, {
      json: { settings: settings({ user: `reader_${NAME}` }), secret: 'pass reader' },
    });
    expect(status).toBe(200);
    await run(`/sources/${closed}/index`);
    const rewriting = await run('/rewrites', { sources: [closed], map: MAP });
    expect(rewriting).toMatchObject({ failed: 1 });
    expect((await get(`/runs/${rewriting.id}/items`)).items[0].note).toContain('lacks a right to');
    expect(await bodyOf(1)).toBe('<img src="/old/a.jpg">');
  });

  test('go on when the database goes away in the middle: nothing is lost, nothing is done twice', async () => {
    for (let id = 1; id <= 90; id += 1) await insert(id, `<img src="/old/a.jpg">${id}`);
    const source = await addSource();
    await run(`/sources/${source}/index`);
    const { body } = await post('/rewrites', { sources: [source], map: MAP });
    await line.cut();
    const read = () => get(`/runs/${body.run.id}`);
    const engine = createEngine(server.services, server.house);
    await engine.start();
    try {
      await eventually(async () => (await read()).heldReason !== null);
      expect(await read()).toMatchObject({ done: 0, failed: 0 });
      expect((await read()).heldReason).toContain("can't be reached");
      await line.mend();
      await eventually(async () => ['done', 'faulty', 'failed'].includes((await read()).state));
    } finally {
      await engine.close();
    }
    expect(await read()).toMatchObject({ state: 'done', done: 90, failed: 0 });
    const left = await rowsOf(`SELECT COUNT(*) AS n FROM ${table} WHERE body LIKE '%/old/%'`);
    expect(left[0]?.n).toBe(0);
  });
});

describe('the test of a database', () => {
  const failing = async (more: object, secret?: string) => {
    const id = await addSource(more, secret);
    const steps: { name: string; ok: boolean; message: string }[] = await stepsOf(id);
    expect(steps.slice(0, -1).every(({ ok }) => ok)).toBe(true);
    await server.call('DELETE', `${api}/sources/${id}`);
    const last = steps.at(-1);
    return last?.ok ? 'all passed' : `${last?.name}: ${last?.message}`;
  };

  test('passes, and changes nothing', async () => {
    await insert(1, 'x');
    const steps = await stepsOf(await addSource());
    expect(steps.map(({ name, ok }: { name: string; ok: boolean }) => `${name} ${ok}`)).toEqual([
      ...['connected true', 'table true', 'key true', 'columns true', 'readable true', 'writable true'],
    ]);
    expect(await bodyOf(1)).toBe('x');
  });

  test.each<[more: object, secret: string | undefined, says: RegExp]>([
    [{ port: 1 }, undefined, /^allowed: 127\.0\.0\.1 is in a private network, .*UNIFERUM_ALLOWED_HOSTS\.$/],
    [{ host: 'localhost' }, undefined, /^allowed: localhost is in a private network/],
    [{}, 'wrong', /^connected: The user writer_\w+ was refused\. Check its name and password\.$/],
    [{ database: 'nowhere' }, undefined, /^connected: The user writer_\w+ may not use the database nowhere/],
    [{ table: 'nothing' }, undefined, /^table: There is no table nothing in site_/],
    [{ key: 'slug' }, undefined, /^key: slug is not unique in news_\d+\. Choose id\.$/],
    [
      { columns: [{ name: 'text' }] },
      undefined,
      /^columns: There is no column text .*id, slug, title, body, note\.$/,
    ],
    [{ titleColumn: 'head' }, undefined, /^columns: There is no column head/],
    [{ columns: [{ name: 'id' }] }, undefined, /^columns: id is of type int\. Choose columns of text\.$/],
    [{ user: `reader_${NAME}` }, 'pass reader', /^writable: The user reader_\w+ lacks a right/],
  ])('with %o says at which step it fails, and what to do', async (more, secret, says) => {
    expect(await failing(more, secret)).toMatch(says);
  });

  test('says that nobody answers', async () => {
    const id = await addSource();
    await line.cut();
    expect(await stepsOf(id)).toMatchObject([
      { name: 'reached', ok: false, message: expect.stringMatching(/can't be reached \(ECONNREFUSED\)/) },
    ]);
    const { status, body } = await post(`/sources/${id}/index`);
    expect([status, body.code]).toEqual([503, 'source-away']);
    await line.mend();
  });
});

test('a table without a key is not indexed', async () => {
  await site.query(`CREATE TABLE ${table}_loose (body TEXT); INSERT INTO ${table}_loose VALUES ('x'), ('x')`);
  const source = await addSource({ table: `${table}_loose`, key: 'body', titleColumn: null, url: null });
  const { status, body } = await post(`/sources/${source}/index`);
  expect([status, body.detail]).toEqual([409, expect.stringContaining('has no key: no column is unique')]);
});

test('rows without a key are left out, however many there are', async () => {
  await site.query(`CREATE TABLE ${table}_gaps (code INT NULL UNIQUE, body TEXT)`);
  const rows = Array.from({ length: 2500 }, () => [null, 'x']);
  await site.query(`INSERT INTO ${table}_gaps (code, body) VALUES ?`, [[...rows, [1, 'y'], [2, 'z']]]);
  const source = await addSource({ table: `${table}_gaps`, key: 'code', titleColumn: null, url: null });
  expect(await run(`/sources/${source}/index`)).toMatchObject({ total: 2, done: 2 });
});

test('a key that is not the same again as text is refused', async () => {
  await site.query(`CREATE TABLE ${table}_bytes (code BINARY(4) PRIMARY KEY, body TEXT)`);
  const source = await addSource({ table: `${table}_bytes`, key: 'code', titleColumn: null, url: null });
  const { status, body } = await post(`/sources/${source}/index`);
  expect([status, body.detail]).toEqual([409, expect.stringContaining('code is of type binary')]);
});

test('a table that is suddenly empty is not taken for one whose pages were deleted', async () => {
  await insert(1, 'x');
  const source = await addSource();
  await run(`/sources/${source}/index`);
  await site.query(`DELETE FROM ${table}`);
  expect((await post(`/sources/${source}/index`)).body.detail).toContain('contains no documents, but 1 were');
  expect((await get(`/sources/${source}`)).documents).toBe(1);
});

test('a password is never shown, and is kept encrypted', async () => {
  const source = await addSource();
  const answer = await get(`/sources/${source}`);
  expect(answer.secretSetAt).toMatch(/^20/);
  expect(JSON.stringify(answer)).not.toContain('pass writer');
  const row = await selectOne<{ secret: string }>(server.db, 'SELECT secret FROM page_sources WHERE id = ?', [
    source,
  ]);
  expect(Buffer.from(row?.secret ?? '', 'base64').toString('latin1')).not.toContain('pass');
  const patch = (json: object) => server.call('PATCH', `${api}/sources/${source}`, { json });
  expect((await patch({ name: `Renamed ${tables}` })).body.secretSetAt).toBe(answer.secretSetAt);
  expect((await patch({ secret: null })).body.secretSetAt).toBeNull();
});

test('settings of another kind, or incomplete ones, are refused with the field', async () => {
  const wrong = (json: object) => post('/sources', { kind: 'database', name: 'Wrong', ...json });
  const { body } = await wrong({ settings: { path: '/srv' } });
  expect(body.errors.map(({ field }: { field: string }) => field)).toContain('settings.host');
  expect((await wrong({ settings: settings({ columns: [] }) })).status).toBe(400);
  expect((await wrong({ settings: settings({ url: '/news/{id}' }) })).status).toBe(400);
  const source = await addSource();
  const patched = await server.call('PATCH', `${api}/sources/${source}`, {
    json: { settings: { ...settings(), table: undefined } },
  });
  expect(patched.body.errors).toMatchObject([{ field: 'settings.table' }]);
});

test.each([
  ['https://a.example/{key}', 'https://a.example/a%20b'],
  ['https://a.example/{slug}/{slug}', 'https://a.example/x/y%3F/x/y%3F'],
  ['https://a.example/{none}', 'https://a.example/{none}'],
  ['https://a.example', 'https://a.example'],
])('the address %s becomes %s', (template, url) => {
  expect(fillUrl(template, new Map([...Object.entries({ key: 'a b', slug: 'x/y?' })]))).toBe(url);
});

test('an address that becomes too long is none', () => {
  expect(fillUrl('https://a.example/{key}', new Map([['key', 'x'.repeat(2000)]]))).toBeNull();
});
