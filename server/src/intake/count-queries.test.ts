import { afterAll, beforeAll, expect, test } from 'vitest';
import { inTransaction, select } from '../shared/database.js';
import { api } from '../testing/calls.js';
import { form, startTestServer, type TestServer } from '../testing/harness.js';
import { VERDICT_COUNTS } from './count-queries.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
  const files = ['one', 'two', 'three'].map((text) => ({ name: `${text}.txt`, data: Buffer.from(text) }));
  expect((await server.call('POST', `${api}/assets`, { body: form('/news', files) })).status).toBe(207);
});
afterAll(() => server.close());

const counts = async () => ({
  intakes: await select(server.db, 'SELECT accepted, warned, refused FROM intakes'),
  verdicts: await select(server.db, "SELECT name, items, bytes FROM counters WHERE scope = 'verdict'"),
});
const find = () =>
  inTransaction(server.db, async (tx) => {
    const found = [];
    for (const check of VERDICT_COUNTS)
      for (const drift of await check.find(tx)) found.push({ check, drift });
    return found;
  });

test('counts that are right are left alone, and those that drifted are found and put right', async () => {
  const right = await counts();
  expect(right.intakes).toEqual([{ accepted: 3, warned: 0, refused: 0 }]);
  expect(await find()).toEqual([]);
  await server.db.query('UPDATE intakes SET accepted = accepted + 4, warned = 2, refused = 7');
  await server.db.query("UPDATE counters SET items = items - 1, bytes = bytes + 9 WHERE scope = 'verdict'");
  const found = await find();
  expect(
    found.map(({ check: { name, isSlow }, drift: { items, bytes } }) => [name, isSlow, items, bytes]),
  ).toEqual([
    ['intakes, accepted', true, -4, 0],
    ['intakes, warned', true, -2, 0],
    ['intakes, refused', true, -7, 0],
    ['verdicts', true, 1, -9],
  ]);
  await inTransaction(server.db, async (tx) => {
    for (const { check, drift } of found) await check.repair(tx, drift);
  });
  expect(await counts()).toEqual(right);
  expect(await find()).toEqual([]);
});
