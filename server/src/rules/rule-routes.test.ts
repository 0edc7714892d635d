import { afterAll, beforeAll, expect, test } from 'vitest';
import { api } from '../testing/calls.js';
import { startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

const makeFolder = async (path: string): Promise<{ id: string }> =>
  (await server.call('POST', `${api}/folders`, { json: { path } })).body;
const setRules = (id: string, json: object, headers: Record<string, string> = {}) =>
  server.call('PUT', `${api}/folders/${id}/rules`, { json, headers });

test('the folders with rules of their own are counted; empty rules are none', async () => {
  const count = async () => (await server.call('GET', `${api}/flow`)).body.ruledFolders;
  const [limited, empty, apart] = [
    await makeFolder('/limited'),
    await makeFolder('/empty'),
    await makeFolder('/apart'),
  ];
  expect(await count()).toBe(0);
  await setRules(limited.id, { maxItems: 3 });
  await setRules(empty.id, { allow: [], maxBytes: null });
  await setRules(apart.id, { inherit: false });
  expect(await count()).toBe(1);
  await setRules(apart.id, { deny: ['exe'] });
  expect(await count()).toBe(2);
});

test('rules of a folder that is not there are not found, neither to read nor to set', async () => {
  const read = await server.call('GET', `${api}/folders/999999/rules`);
  expect(read).toMatchObject({ status: 404, body: { detail: expect.stringContaining('Folder 999999') } });
  expect((await setRules('999999', { maxItems: 3 })).status).toBe(404);
});

test('rules that somebody else has changed meanwhile are not overwritten', async () => {
  const { id } = await makeFolder('/shared');
  const read = await server.call('GET', `${api}/folders/${id}/rules`);
  const etag = String(read.headers.get('etag'));
  expect((await setRules(id, { maxItems: 3 }, { 'if-match': etag })).status).toBe(200);
  expect((await setRules(id, { maxItems: 9 }, { 'if-match': etag })).status).toBe(412);
  expect((await server.call('GET', `${api}/folders/${id}/rules`)).body.own).toMatchObject({ maxItems: 3 });
});
