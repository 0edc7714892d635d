import { once } from 'node:events';
import type { AddressInfo } from 'node:net';
import { afterAll, afterEach, beforeAll, expect, test } from 'vitest';
import { createApp } from '../app.js';
import { closeProcesses, createHouse, prepareProcesses } from '../rooms.js';
import { BUCKET_ACCOUNT } from '../testing/bucket.js';
import { eventually } from '../testing/harness.js';
import { openPlaced, type Placed } from '../testing/placed.js';
import { createEngine } from '../worker.js';

let placed: Placed;
beforeAll(async () => {
  placed = await openPlaced();
  await placed.addStore('offsite');
});
afterAll(() => placed.close());
afterEach(async () => {
  await placed.bucket.start();
  await placed.bucket.setFaults([]);
  await placed.bucket.setAccounts([BUCKET_ACCOUNT]);
});

const add = async (ids: string[], action: 'add' | 'drop' = 'add') =>
  (await placed.api('POST', '/copies', { select: { ids }, store: 'offsite', action })).run.id;
const runOf = (id: string) => placed.api('GET', `/runs/${id}`);
const copyOf = async (id: string) =>
  (await placed.api('GET', `/assets/${id}/copies`)).items.find(
    ({ store }: { store: string }) => store === 'offsite',
  );

test('a key that the store refuses fails by itself, says why, and is stored when it is tried again', async () => {
  const good = await placed.addFile('/faults', 'good.txt');
  const bad = await placed.addFile('/faults', 'bad.txt');
  await placed.bucket.setFaults([{ kind: 'deny', method: 'PUT', key: 'offsite/faults/bad.' }]);
  const run = await add([good.id, bad.id]);
  await placed.server.workUntilIdle();
  expect(await runOf(run)).toMatchObject({ state: 'faulty', done: 1, failed: 1 });
  expect(await copyOf(good.id)).toMatchObject({ state: 'stored' });
  expect(await copyOf(bad.id)).toMatchObject({
    state: 'wanted',
    error: expect.stringContaining('refused access'),
  });
  await placed.bucket.setFaults([]);
  await placed.api('POST', `/runs/${run}/retry`);
  await placed.server.workUntilIdle();
  expect(await copyOf(bad.id)).toMatchObject({ state: 'stored', error: null });
});

test('credentials revoked half-way: what is stored stays, the rest waits and goes on by itself', async () => {
  const ids: string[] = [];
  for (let n = 0; n < 60; n += 1) ids.push((await placed.addFile('/revoked', `${n}.txt`)).id);
  const run = await add(ids);
  const engine = createEngine(placed.server.services, placed.server.house);
  await placed.bucket.setFaults([{ kind: 'slow', method: 'PUT', waitMs: 10 }]);
  await engine.start();
  try {
    await eventually(async () => (await placed.keysIn()).some((key) => key.startsWith('revoked/')));
    await placed.bucket.setAccounts([]);
    await eventually(async () => {
      const [rows] = await placed.server.db.query(
        "SELECT COUNT(*) AS n FROM run_items WHERE run_id = ? AND state = 'waiting' AND error IS NOT NULL",
        [run],
      );
      return (rows as { n: number }[])[0]?.n !== 0;
    });
    expect((await runOf(run)).failed).toBe(0);
    await placed.bucket.setAccounts([BUCKET_ACCOUNT]);
    await eventually(async () => (await runOf(run)).state === 'done');
  } finally {
    await engine.close();
  }
  for (const id of ids) expect(await copyOf(id)).toMatchObject({ state: 'stored' });
  expect((await placed.keysIn()).filter((key) => key.startsWith('revoked/'))).toHaveLength(60);
});

test('a store that is killed while it receives: nothing is lost, and its restart ends the run', async () => {
  const ids: string[] = [];
  for (let n = 0; n < 40; n += 1)
    ids.push((await placed.addFile('/killed', `${n}.txt`, `${n}`.repeat(50_000))).id);
  const run = await add(ids);
  const engine = createEngine(placed.server.services, placed.server.house);
  await engine.start();
  try {
    await eventually(async () => (await placed.keysIn()).some((key) => key.startsWith('killed/')));
    await placed.bucket.stop();
    await placed.bucket.start();
    await eventually(async () => (await runOf(run)).state === 'done');
  } finally {
    await engine.close();
  }
  for (const id of ids) expect(await copyOf(id)).toMatchObject({ state: 'stored' });
});

test('two engines that add and drop at once end with records that agree with the bucket', async () => {
  const ids: string[] = [];
  for (let n = 0; n < 30; n += 1) ids.push((await placed.addFile('/both', `${n}.txt`)).id);
  const engines = [0, 1].map(() => createEngine(placed.server.services, placed.server.house));
  const runs = [
    await add(ids),
    await add(ids, 'drop'),
    await add(ids),
    await add(ids, 'drop'),
    await add(ids),
  ];
  for (const engine of engines) await engine.start();
  try {
    for (const run of runs) await eventually(async () => (await runOf(run)).state === 'done');
  } finally {
    for (const engine of engines) await engine.close();
  }
  const stored: string[] = [];
  for (const id of ids) {
    const { items } = await placed.api('GET', `/assets/${id}/copies`);
    expect(items.map(({ state }: { state: string }) => state)).not.toContain('uploading');
    for (const { store, state, key } of items)
      if (store === 'offsite' && state === 'stored') stored.push(key);
  }
  expect((await placed.keysIn()).filter((key) => key.startsWith('both/')).sort()).toEqual(stored.sort());
});

test('counts of copies agree with the records after all of it', async () => {
  const drifts = await Promise.all(
    placed.server.house.plugged.counts
      .filter(({ name }) => name === 'copies')
      .map((check) => placed.server.db.transaction((tx) => check.find(tx))),
  );
  expect(drifts).toEqual([[]]);
});

test.each([
  ['host is no longer allowed', { allowedHosts: new Set<string>() }, 'UNIFERUM_ALLOWED_HOSTS'],
  ['secret was sealed with another master key', { masterKey: Buffer.alloc(32, 1) }, 'Enter the secret again'],
])('a store whose %s is still shown, and what is to be stored waits', async (_, change, says) => {
  const { server } = placed;
  const { id } = await placed.addFile('/later', `${says}.txt`);
  const other = await openOther(change);
  const copies = { select: { ids: [id] }, store: 'offsite', action: 'add' };
  try {
    for (const path of ['/stores', `/assets/${id}`, `/assets/${id}/copies`, '/assets?q=copy:offsite'])
      expect([path, await other.statusOf('GET', path)]).toEqual([path, 200]);
    expect(await other.statusOf('POST', '/copies?rehearse=true', copies)).toBe(200);
    expect(await other.statusOf('POST', '/copies', copies)).toBe(202);
    await other.engine.start();
    await eventually(async () => (await latestRun()).heldReason?.includes(says) ?? false);
  } finally {
    await other.close();
  }
  expect(await latestRun()).toMatchObject({ failed: 0 });
  await server.db.query('UPDATE run_items SET not_before = CURRENT_TIMESTAMP(3)');
  await server.workUntilIdle();
  expect(await latestRun()).toMatchObject({ state: 'done', failed: 0 });
  expect(await copyOf(id)).toMatchObject({ state: 'stored' });
});

const latestRun = async () => (await placed.api('GET', '/runs?limit=1')).items[0];

/** A second server and worker of the same installation with another configuration. */
async function openOther(change: object) {
  const services = { ...placed.server.services, config: { ...placed.server.config, ...change } };
  const processes = prepareProcesses(services, 'server');
  const house = createHouse(services, processes);
  const app = createApp({ services, db: placed.server.db, house });
  const http = app.express.listen(0, '127.0.0.1');
  await once(http, 'listening');
  const key = await placed.server.key();
  const engine = createEngine(services, house);
  return {
    engine,
    async statusOf(method: string, path: string, json?: object) {
      const { port } = http.address() as AddressInfo;
      const headers = { Authorization: `Bearer ${key}`, 'Content-Type': 'application/json' };
      const body = json === undefined ? {} : { body: JSON.stringify(json) };
      return (await fetch(`http://127.0.0.1:${port}/api/v1${path}`, { method, headers, ...body })).status;
    },
    async close() {
      await engine.close();
      http.close();
      http.closeAllConnections();
      await app.close();
      await house.close();
      await closeProcesses(processes);
    },
  };
}
