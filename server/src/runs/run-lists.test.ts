import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { inTransaction } from '../shared/database.js';
import { api } from '../testing/calls.js';
import { eventually, startTestServer, type TestServer } from '../testing/harness.js';
import { clearRuns, startTestEngine, startTestRun, type TestWork } from '../testing/test-run.js';
import type { RunEngine } from './engine.js';
import { lockExpiredItems, returnItem } from './lease-queries.js';
import {
  addToMinute,
  countSlots,
  hasLivingWorker,
  heartbeat,
  readWorkers,
  removeWorker,
} from './worker-queries.js';

let server: TestServer;
const engines: RunEngine[] = [];
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());
beforeEach(() => clearRuns(server));
afterEach(async () => {
  await Promise.all(engines.splice(0).map((engine) => engine.close()));
});

const work = async (doing: TestWork, options: Parameters<typeof startTestEngine>[2] = {}) =>
  engines.push(await startTestEngine(server, doing, { maxAttempts: 1, ...options }));
const get = async (path: string) => (await server.call('GET', `${api}${path}`)).body;
const untilEnded = (id: string) =>
  eventually(async () => ['done', 'faulty'].includes((await get(`/runs/${id}`)).state));

/** Items whose number ends in 3 fail, those that end in 5 are skipped. */
const mixed: TestWork = async ({ asset }) => {
  if (asset.endsWith('3')) throw new Error(Number(asset) > 20 ? 'it is cut off' : 'it is empty');
  return { outcome: asset.endsWith('5') ? 'skipped' : 'done' };
};

describe('runs', () => {
  test('are listed from the newest, by page and by state, with their number', async () => {
    const ids: string[] = [];
    for (let n = 0; n < 5; n += 1) ids.push(await startTestRun(server, 1, `run ${n}`));
    const newestFirst = [...ids].reverse();
    const all = await get('/runs?limit=3');
    expect(all.items.map(({ id }: { id: string }) => id)).toEqual(newestFirst.slice(0, 3));
    expect(all.total).toBe(5);
    const rest = await get(`/runs?limit=3&cursor=${encodeURIComponent(all.next)}`);
    expect(rest.items.map(({ id }: { id: string }) => id)).toEqual(newestFirst.slice(3));
    expect([rest.next, rest.total]).toEqual([null, 5]);
    await server.call('POST', `${api}/runs/${ids[1]}/stop`);
    const stopped = await get('/runs?state=stopped');
    expect([stopped.total, stopped.items[0]?.id, stopped.items.length]).toEqual([1, ids[1], 1]);
    expect((await get('/runs?state=waiting')).total).toBe(4);
    expect((await get('/runs?state=done')).items).toEqual([]);
    expect((await server.call('GET', `${api}/runs?state=sleeping`)).status).toBe(400);
    expect((await server.call('GET', `${api}/runs?cursor=nonsense`)).status).toBe(400);
  });

  test('have items that are listed in order, by page and by state, with their number', async () => {
    const id = await startTestRun(server, 30);
    await work(mixed);
    await untilEnded(id);
    const first = await get(`/runs/${id}/items?limit=20`);
    expect(first.items.map(({ title }: { title: string }) => title)).toEqual(
      Array.from({ length: 20 }, (_, n) => `item ${n}`),
    );
    expect(first.total).toBe(30);
    const rest = await get(`/runs/${id}/items?limit=20&cursor=${encodeURIComponent(first.next)}`);
    expect([rest.items.length, rest.items[0].title, rest.next]).toEqual([10, 'item 20', null]);
    for (const [state, titles] of [
      ['failed', ['item 3', 'item 13', 'item 23']],
      ['skipped', ['item 5', 'item 15', 'item 25']],
    ] as const) {
      const some = await get(`/runs/${id}/items?state=${state}`);
      expect(some.items.map(({ title }: { title: string }) => title)).toEqual(titles);
      expect(some.total).toBe(3);
    }
    const failed = await get(`/runs/${id}/items?state=failed&limit=2`);
    expect([failed.items.length, failed.total, failed.next === null]).toEqual([2, 3, false]);
    expect(failed.items[0]).toMatchObject({
      state: 'failed',
      error: 'it is empty (tried once)',
      attempts: 1,
    });
    expect(await get(`/runs/${id}`)).toMatchObject({ state: 'faulty', done: 24, skipped: 3, failed: 3 });
  });

  test('that are not there are not found, to read, to list or to steer', async () => {
    for (const [method, path] of [
      ['GET', '/runs/999999'],
      ['GET', '/runs/999999/items'],
      ['POST', '/runs/999999/stop'],
      ['POST', '/runs/999999/resume'],
      ['POST', '/runs/999999/retry'],
      ['POST', '/runs/999999/undo'],
    ] as const)
      expect((await server.call(method, `${api}${path}`)).status, path).toBe(404);
  });
});

describe('failures', () => {
  test('are grouped by what they say, the most frequent first, and tried again by group', async () => {
    const [one, two] = [await startTestRun(server, 30), await startTestRun(server, 20)];
    let isMended = false;
    await work(async (input, signal) => (isMended ? { outcome: 'done' } : mixed(input, signal)));
    await untilEnded(one);
    await untilEnded(two);
    const failures = await get('/runs/failures');
    expect(failures.total).toBe(5);
    expect(
      failures.items.map(({ reason, kind, count }: { reason: string; kind: string; count: number }) => [
        reason,
        kind,
        count,
      ]),
    ).toEqual([
      ['it is empty', 'test', 4],
      ['it is cut off', 'test', 1],
    ]);
    isMended = true;
    const retry = (reason: string, kind = 'test') =>
      server.call('POST', `${api}/runs/failures/retry`, { json: { reason, kind } });
    expect((await retry('it is empty')).body).toEqual({ items: 4, runs: 2 });
    await eventually(async () => (await get(`/runs/${two}`)).state === 'done');
    await eventually(async () => (await get(`/runs/${one}`)).failed === 1);
    expect((await get('/runs/failures')).items).toHaveLength(1);
    expect((await retry('it is empty')).status).toBe(404);
    expect((await retry('it is cut off', 'other')).status).toBe(404);
  });
});

describe('workers', () => {
  test('report that they live, with what they did and how busy they were', async () => {
    expect(await hasLivingWorker(server.db, 60)).toBe(false);
    expect(await countSlots(server.db)).toBe(1);
    const one = { id: 'one', host: 'light', pid: 7, slots: 3 };
    await heartbeat(server.db, one);
    await heartbeat(server.db, one);
    await heartbeat(server.db, { ...one, id: 'two', slots: 2 });
    expect([await hasLivingWorker(server.db, 60), await countSlots(server.db)]).toEqual([true, 5]);
    await addToMinute(server.db, 'one', { done: 4, failed: 1, busyMs: 10.4 });
    await addToMinute(server.db, 'one', { done: 2, failed: 0, busyMs: 5 });
    const { workers, throughput, queue } = await readWorkers(server.db, 60);
    expect(workers.map(({ id, done, failed, isAlive }) => [id, done, failed, isAlive])).toEqual([
      ['one', 6, 1, true],
      ['two', 0, 0, true],
    ]);
    expect(workers[0]).toMatchObject({ host: 'light', pid: 7, slots: 3, items: [] });
    expect(workers[0]?.busy).toBeGreaterThan(0);
    expect(workers[1]?.busy).toBe(0);
    expect(throughput.reduce((sum, minute) => sum + minute.done, 0)).toBe(6);
    expect(queue).toEqual([]);
    await removeWorker(server.db, 'one');
    expect((await readWorkers(server.db, 60)).workers.map(({ id }) => id)).toEqual(['two']);
  });

  test('show what each works on, and what waits', async () => {
    const id = await startTestRun(server, 5);
    let release = () => {};
    const released = new Promise<void>((resolve) => {
      release = resolve;
    });
    await work(async () => {
      await released;
      return { outcome: 'done' };
    });
    await eventually(async () => (await get('/workers')).queue[0]?.working >= 2);
    const { workers, queue } = await get('/workers?minutes=5');
    // Some are claimed ahead of the slots.
    const [{ kind, waiting, working }] = queue;
    expect([queue.length, kind, waiting + working]).toEqual([1, 'test', 5]);
    const items = workers.flatMap((worker: { items: object[] }) => worker.items);
    expect(items).toHaveLength(working);
    expect(items[0]).toMatchObject({ run: id, kind: 'test', title: expect.stringMatching(/^item \d$/) });
    release();
    await untilEnded(id);
    expect((await get('/workers')).queue).toEqual([]);
    expect((await server.call('GET', `${api}/workers?minutes=4`)).status).toBe(400);
  });
});

describe('an item whose lease ran out', () => {
  test('is locked by who finds it, with what it is; one that still holds, is not', async () => {
    const id = await startTestRun(server, 3);
    await server.db.query(
      "UPDATE run_items SET state = 'working', token = CONCAT('t', id), attempts = 2, lease_until = NOW(3) + INTERVAL IF(title = 'item 1', -1, 60) SECOND WHERE run_id = ?",
      [id],
    );
    await inTransaction(server.db, async (tx) => {
      const [item, ...more] = await lockExpiredItems(tx);
      expect(more).toEqual([]);
      expect(item).toMatchObject({
        kind: 'test',
        title: 'item 1',
        input: { asset: '1' },
        weight: 1,
        attempts: 2,
        runId: Number(id),
      });
      if (!item) return;
      expect(
        await returnItem(tx, { ...item, token: 'other' }, { delayMs: 0, error: null, countsAttempt: true }),
      ).toBe(false);
      expect(await returnItem(tx, item, { delayMs: 0, error: 'it went away', countsAttempt: false })).toBe(
        true,
      );
      expect(await returnItem(tx, item, { delayMs: 0, error: null, countsAttempt: false })).toBe(false);
    });
    const { items } = await get(`/runs/${id}/items?state=waiting`);
    expect(items).toMatchObject([{ title: 'item 1', attempts: 1, error: 'it went away' }]);
    await inTransaction(server.db, async (tx) => expect(await lockExpiredItems(tx)).toEqual([]));
  });
});
