import { afterAll, beforeAll, beforeEach, expect, test } from 'vitest';
import { change } from '../shared/database.js';
import { api, collect } from '../testing/calls.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { type OutsideSite, startOutsideSite } from '../testing/outside-site.js';

let server: TestServer;
let outside: OutsideSite;
let asked: string[] = [];
beforeAll(async () => {
  outside = await startOutsideSite();
  outside.pages.set('/check', async (req, res) => {
    const { data } = JSON.parse((await collect(req)).toString());
    asked.push(`${data.folder}/${data.name}`);
    res.end('{"accept": true}');
  });
  server = await startTestServer({ env: { UNIFERUM_ALLOWED_HOSTS: outside.host } });
});
afterAll(async () => {
  outside.close();
  await server.close();
});
beforeEach(() => {
  asked = [];
});

async function idOf(path: string): Promise<string> {
  const { items } = (await server.call('GET', `${api}/folders?within=${path}&limit=1`)).body;
  if (items[0]?.path === path) return items[0].id;
  return (await server.call('POST', `${api}/folders`, { json: { path } })).body.id;
}

async function send(folder: string, name: string): Promise<string> {
  const { status, body } = await server.call('POST', `${api}/assets`, {
    body: form(folder, [{ name, data: Buffer.from(`${folder}/${name}`) }]),
  });
  expect(status).toBe(201);
  return body.id;
}

async function checkFrom(path: string): Promise<void> {
  const check = { url: `${outside.url}/check`, timeoutMs: 30_000, onFailure: 'refuse' };
  const { status } = await server.call('PUT', `${api}/folders/${await idOf(path)}/rules`, {
    json: { check },
  });
  expect(status).toBe(200);
}

const move = async (path: string, parent: string) =>
  server.call('PATCH', `${api}/folders/${await idOf(path)}`, { json: { parent } });

test('the check of a place is asked about every file of a folder that moves there, and only once', async () => {
  await checkFrom('/strict');
  await checkFrom('/other');
  for (const [folder, name] of [
    ['/free/inner', 'a.txt'],
    ['/free/inner', 'b.txt'],
    ['/free/inner/deep', 'c.txt'],
  ] as const)
    await send(folder, name);
  expect((await move('/free/inner', '/strict')).status).toBe(200);
  expect(asked.sort()).toEqual([
    ...['/strict/inner/a.txt', '/strict/inner/b.txt', '/strict/inner/deep/c.txt'],
  ]);
  // It is the same check there, and none where they came from.
  asked = [];
  expect((await move('/strict/inner', '/other')).status).toBe(200);
  expect((await move('/other/inner', '/free')).status).toBe(200);
  expect(asked).toEqual([]);
});

test.each([
  ['500 files', 499, 1, 200],
  ['501 files', 500, 1, 409],
])('%s in several folders are asked about at once, or not at all', async (what, outer, inner, status) => {
  const root = `/many-${what.slice(0, 3)}`;
  await checkFrom('/strict');
  await send(root, 'a.txt');
  await send(`${root}/inner`, 'b.txt');
  // The count that is kept, instead of that many files.
  await change(server.db, 'UPDATE folders SET items = ? WHERE id = ?', [outer, await idOf(root)]);
  await change(server.db, 'UPDATE folders SET items = ? WHERE id = ?', [inner, await idOf(`${root}/inner`)]);
  const answer = await move(root, '/strict');
  expect(answer.status).toBe(status);
  if (status === 409) {
    expect(answer.body.detail).toContain('more than 500 files');
    expect(asked).toEqual([]);
  } else expect(asked).toHaveLength(2);
});

test('the check is not asked about bytes that can not be read as a picture', async () => {
  await checkFrom('/strict');
  const picture = await photo(60, 40, 1);
  const { body } = await server.call('POST', `${api}/assets`, {
    body: form('/strict', [{ name: 'a.jpg', data: picture }]),
  });
  expect(asked).toEqual(['/strict/a.jpg']);
  const replace = (data: Buffer) =>
    server.call('PUT', `${api}/assets/${body.id}/content`, { body: new Uint8Array(data) });
  expect((await replace(Buffer.from([0xff, 0xd8, 0xff, 0xd9]))).status).toBe(422);
  expect(asked).toHaveLength(1);
  expect((await replace(await photo(60, 40, 2))).status).toBe(200);
  expect(asked).toHaveLength(2);
});
