import { afterAll, beforeAll, expect, inject, test } from 'vitest';
import { describeRoutes } from '../describe.js';
import { findBroken } from '../house/invariants.js';
import { api, callsOf } from '../testing/calls.js';
import { recipe } from '../testing/derived.js';
import { type Line, openLine } from '../testing/faults.js';
import { eventually, form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { createEngine } from '../worker.js';

const ALL_ROUTES = await describeRoutes();

let server: TestServer;
let line: Line;
beforeAll(async () => {
  line = await openLine(inject('database').port);
  server = await startTestServer({ env: { UNIFERUM_DB_PORT: String(line.port), UNIFERUM_LEASE_MS: '1500' } });
});
afterAll(async () => {
  await server.close();
  await line.close();
});
const { assetsOf } = callsOf(() => server);

/** Routes that need no database. */
const WITHOUT = new Set([
  `get ${api}/openapi.json`,
  `get ${api}/recipes/schema.json`,
  'get /health/live',
  `options ${api}/uploads`,
]);

test('every route says that the database is away, and works again when it is back', async () => {
  const key = await server.key();
  await line.cut();
  for (const { method, path } of ALL_ROUTES) {
    const answer = await server.call(method.toUpperCase(), path.replace(/\{\w+\*?\}/g, '1'), {
      key,
      ...(method === 'post' &&
        path.endsWith('/session') && { json: { email: 'a@b.example', password: 'x' } }),
    });
    const name = `${method} ${path}`;
    if (WITHOUT.has(name)) expect([name, answer.status < 300]).toEqual([name, true]);
    else expect([name, answer.status]).toEqual([name, 503]);
    if (answer.body?.code) expect([name, answer.body.code]).toEqual([name, 'database-away']);
  }
  const health = await server.call('GET', '/health', { key: null });
  expect([health.status, health.body.database]).toEqual([503, 'failing']);
  await line.mend();
  await eventually(async () => (await server.call('GET', `${api}/folders`, { key })).status === 200);
  await eventually(async () => (await server.call('GET', '/health', { key: null })).body.database === 'ok');
});

test('an upload that meets it is told so, leaves nothing, and comes in once when it is sent again', async () => {
  const send = () =>
    server.call('POST', `${api}/assets`, {
      body: form('/cut', [{ name: 'a.txt', data: Buffer.from('through a cut line') }]),
      headers: { 'Idempotency-Key': 'cut' },
    });
  await line.cut();
  expect((await send()).status).toBe(503);
  await line.mend();
  await eventually(async () => (await send()).status === 201);
  expect(await assetsOf('/cut')).toHaveLength(1);
});

test('a worker goes on when it is back, and ends every item once', async () => {
  await server.call('POST', `${api}/recipes`, { json: recipe('cut', '/worked', 30) });
  const files = await Promise.all(
    Array.from({ length: 12 }, async (_, n) => ({ name: `${n}.jpg`, data: await photo(400, 300, n) })),
  );
  await server.call('POST', `${api}/assets`, { body: form('/worked', files) });
  const engine = createEngine(server.services, server.house);
  await engine.start();
  const done = async () => (await server.call('GET', `${api}/runs?limit=1`)).body.items[0]?.done ?? 0;
  await eventually(async () => (await done()) >= 2);
  await line.cut();
  await new Promise((resolve) => setTimeout(resolve, 300));
  await line.mend();
  await eventually(
    async () => (await server.call('GET', `${api}/runs?limit=1`)).body.items?.[0]?.state === 'done',
  );
  await engine.close();
  const [run] = (await server.call('GET', `${api}/runs?limit=1`)).body.items;
  expect(run).toMatchObject({ done: 12, failed: 0, total: 12 });
  const [events] = await server.db.query<{ n: number }[]>(
    "SELECT COUNT(*) AS n FROM events WHERE type = 'asset.renditions' GROUP BY asset_id",
  );
  expect(events.map(({ n }) => Number(n))).toEqual(Array(12).fill(1));
  expect(await findBroken(server.db, server.store)).toEqual([]);
});
