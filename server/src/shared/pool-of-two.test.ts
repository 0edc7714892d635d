import { afterAll, beforeAll, expect, test } from 'vitest';
import { findBroken } from '../house/invariants.js';
import { api, callsOf } from '../testing/calls.js';
import { recipe } from '../testing/derived.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { uploadResumably } from '../testing/upload-resumably.js';
import { zip } from '../testing/zip.js';
import { inTransaction, selectOne } from './database.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer({ env: { UNIFERUM_DB_CONNECTIONS: '2' } });
});
afterAll(() => server.close());
const { assetsOf } = callsOf(() => server);
const times = (count: number) => Array.from({ length: count }, (_, n) => n);

test("uploads of every kind that end together don't wait for each other", async () => {
  await server.call('POST', `${api}/recipes`, {
    json: recipe('at-once', '/together', 20, { when: 'at-once' }),
  });
  const picture = await photo(60, 40);
  const archive = await zip({ 'inside.txt': Buffer.from('inside') });
  const results = await Promise.all([
    ...times(10).map((n) =>
      server.call('POST', `${api}/assets`, {
        body: form('/together', [{ name: `form-${n}.jpg`, data: picture }]),
        headers: { 'Idempotency-Key': `form-${n}` },
      }),
    ),
    ...times(10).map((n) =>
      uploadResumably(server, {
        name: `tus-${n}.txt`,
        data: Buffer.from(`resumable ${n}`),
        folder: '/together',
      }),
    ),
    ...times(10).map((n) =>
      server.call('POST', `${api}/assets`, {
        json: { source: `data:text/plain,uri ${n}`, folder: '/together', name: `uri-${n}.txt` },
        headers: { 'Idempotency-Key': `uri-${n}` },
      }),
    ),
    ...times(5).map((n) =>
      server.call('POST', `${api}/assets`, {
        body: form('/together/zips', [{ name: `${n}.zip`, data: archive }], { unpack: 'true' }),
        headers: { 'Idempotency-Key': `zip-${n}` },
      }),
    ),
    ...times(10).map((n) =>
      server.call('POST', `${api}/folders`, {
        json: { path: `/together/made/${n % 3}/${n}` },
        headers: { 'Idempotency-Key': `folder-${n}` },
      }),
    ),
  ]);
  for (const result of results) if ('status' in result) expect(result.status).toBeLessThan(300);
  await server.workUntilIdle();
  expect(await assetsOf('/together')).toHaveLength(35);
  expect(await findBroken(server.db, server.store)).toEqual([]);
});

test('taking another connection within a transaction is an error, and no wait for good', async () => {
  await expect(
    inTransaction(server.db, async () => {
      await selectOne(server.db, 'SELECT 1');
    }),
  ).rejects.toThrow(/Expected the transaction that is open here/);
  // Also in what a transaction sets off.
  await expect(
    inTransaction(server.db, async () => {
      await Promise.all([selectOne(server.db, 'SELECT 1')]);
    }),
  ).rejects.toThrow(/Expected the transaction/);
  expect(await selectOne(server.db, 'SELECT 1 AS one')).toEqual({ one: 1 });
});

test('who waits too long for a connection is told so, and the next in turn gets it', async () => {
  let release = () => {};
  const held = new Promise<void>((resolve) => {
    release = resolve;
  });
  const impatient = await startTestServer({
    env: { UNIFERUM_DB_CONNECTIONS: '2', UNIFERUM_DB_WAIT_MS: '300' },
  });
  const { db } = impatient;
  let holding = 0;
  const holders = times(2).map(() =>
    inTransaction(db, async () => {
      holding += 1;
      await held;
    }),
  );
  while (holding < 2) await new Promise((resolve) => setImmediate(resolve));
  const refused = await impatient.call('GET', `${api}/folders`);
  expect([refused.status, refused.body.code, refused.headers.get('retry-after')]).toEqual([503, 'busy', '2']);
  release();
  await Promise.all(holders);
  expect((await impatient.call('GET', `${api}/folders`)).status).toBe(200);
  await impatient.close();
});
