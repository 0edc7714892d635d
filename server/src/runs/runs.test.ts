import { afterAll, afterEach, beforeAll, beforeEach, expect, test } from 'vitest';
import type { Database } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { eventually, startTestServer, type TestServer } from '../testing/harness.js';
import { clearRuns, startTestEngine, startTestRun, type TestWork, testRun } from '../testing/test-run.js';
import type { RunEngine } from './engine.js';
import type { ItemResult } from './handler.js';
import { beginGroupedRun } from './ledger.js';

let server: TestServer;
const engines: RunEngine[] = [];

beforeAll(async () => {
  server = await startTestServer({ env: { UNIFERUM_LEASE_MS: '1500' } });
});
afterAll(() => server.close());
beforeEach(() => clearRuns(server));
afterEach(async () => {
  await Promise.all(engines.splice(0).map((engine) => engine.close()));
});

/** Starts an engine whose items do what the test says. */
async function startEngine(...[work, options]: [TestWork, Parameters<typeof startTestEngine>[2]?]) {
  const engine = await startTestEngine(server, work, options);
  engines.push(engine);
  return engine;
}

const startRun = (count: number) => startTestRun(server, count);
const readRun = async (id: string) => (await server.call('GET', `/api/v1/runs/${id}`)).body;
const untilState = (id: string, state: string) => eventually(async () => (await readRun(id)).state === state);

test('every item ends once, and its run with the last one', async () => {
  const id = await startRun(50);
  const seen: string[] = [];
  const work = async ({ asset }: { asset: string }): Promise<ItemResult> => {
    seen.push(asset);
    return { outcome: Number(asset) % 5 === 0 ? 'skipped' : 'done', note: `did ${asset}` };
  };
  await Promise.all([startEngine(work), startEngine(work, { slots: 3 })]);
  await untilState(id, 'done');
  expect(seen.sort()).toEqual(Array.from({ length: 50 }, (_, n) => String(n)).sort());
  expect(await readRun(id)).toMatchObject({ total: 50, done: 40, skipped: 10, failed: 0 });
});

test('a run over a list has items of so many entries each, named by their places; over none it has ended', async () => {
  const begin = (subjects: number[]) =>
    beginGroupedRun(
      server.db,
      testRun,
      { title: 'A test', by: 'test' },
      { subjects, perItem: 600, inputOf: (some) => ({ asset: `${some[0]}-${some.at(-1)}` }) },
    );
  const id = await begin(Array.from({ length: 1201 }, (_, n) => n));
  const worked: string[] = [];
  await startEngine(async ({ asset }) => {
    worked.push(asset);
    return { outcome: 'done' };
  });
  await untilState(id, 'done');
  expect(worked.sort()).toEqual(['0-599', '1200-1200', '600-1199']);
  const { items } = (await server.call('GET', `/api/v1/runs/${id}/items`)).body;
  expect(items.map(({ title }: { title: string }) => title)).toEqual(['1–600', '601–1,200', '1,201–1,201']);
  expect(await readRun(id)).toMatchObject({ total: 1201, done: 1201 });
  expect(await readRun(await begin([]))).toMatchObject({ state: 'done', total: 0 });
});

test('a failure is tried again after a wait, and given up after the last attempt', async () => {
  const id = await startRun(2);
  const attempts: Record<string, number> = {};
  await startEngine(
    async ({ asset }) => {
      attempts[asset] = (attempts[asset] ?? 0) + 1;
      if (asset === '0' || attempts[asset] < 3) throw new Error('the store is away');
      return { outcome: 'done' };
    },
    { maxAttempts: 3 },
  );
  await untilState(id, 'faulty');
  expect(attempts).toEqual({ 0: 3, 1: 3 });
  const { items } = (await server.call('GET', `/api/v1/runs/${id}/items`)).body;
  expect(
    items.map(({ state, attempts: tried, error }: Record<string, unknown>) => [state, tried, error]),
  ).toEqual([
    ['failed', 3, 'the store is away (tried 3 times)'],
    ['done', 3, null],
  ]);
});

test('what failed can be tried again, and makes the run good', async () => {
  const id = await startRun(3);
  let isBroken = true;
  await startEngine(async ({ asset }) =>
    asset === '1' && isBroken ? { outcome: 'failed', error: 'broken' } : { outcome: 'done' },
  );
  await untilState(id, 'faulty');
  isBroken = false;
  await server.call('POST', `/api/v1/runs/${id}/retry`);
  await untilState(id, 'done');
  expect(await readRun(id)).toMatchObject({ done: 3, failed: 0 });
});

test('a stopped run gives back what it holds, begins nothing new, and goes on when resumed; a second click does no harm', async () => {
  const id = await startRun(6);
  let isHeld = true;
  const begun: string[] = [];
  await startEngine(async ({ asset }, signal) => {
    begun.push(asset);
    if (isHeld)
      await new Promise((_resolve, reject) => signal.addEventListener('abort', () => reject(signal.reason)));
    return { outcome: 'done' };
  });
  await eventually(async () => begun.length === 2);
  expect((await server.call('POST', `/api/v1/runs/${id}/stop`)).body.state).toBe('stopping');
  expect((await server.call('POST', `/api/v1/runs/${id}/stop`)).status).toBe(200);
  await untilState(id, 'stopped');
  expect(begun).toHaveLength(2);
  const { items } = (await server.call('GET', `/api/v1/runs/${id}/items?state=stopped`)).body;
  expect(items).toHaveLength(6);
  expect(items.every(({ attempts }: { attempts: number }) => attempts === 0)).toBe(true);
  isHeld = false;
  await server.call('POST', `/api/v1/runs/${id}/resume`);
  await untilState(id, 'done');
  expect((await readRun(id)).done).toBe(6);
});

test('an item whose lease ran out goes to another worker, and the late result of the first counts for nothing', async () => {
  const id = await startRun(1);
  let recorded = 0;
  let release = () => {};
  const stuck = new Promise<void>((resolve) => {
    release = resolve;
  });
  const result: ItemResult = {
    outcome: 'done',
    record: async () => {
      recorded += 1;
    },
  };
  const first = await startEngine(
    async () => {
      await stuck;
      return result;
    },
    { leaseMs: 600 },
  );
  await eventually(async () => (await readRun(id)).state === 'working');
  // The first worker has frozen: it claims nothing more, its lease is over, and it doesn't know.
  const closing = first.close();
  await server.db.query(
    "UPDATE run_items SET lease_until = NOW(3) - INTERVAL 1 SECOND, token = 'another' WHERE run_id = ?",
    [id],
  );
  await startEngine(async () => result);
  await untilState(id, 'done');
  release();
  await closing;
  expect(recorded).toBe(1);
  expect(await readRun(id)).toMatchObject({ done: 1, total: 1 });
});

test("a killed worker's items end as failed when they were tried too often", async () => {
  const id = await startRun(1);
  await server.db.query(
    "UPDATE run_items SET state = 'working', token = 'dead', attempts = 20, lease_until = NOW(3) - INTERVAL 1 SECOND WHERE run_id = ?",
    [id],
  );
  await server.db.query("UPDATE runs SET state = 'working' WHERE id = ?", [id]);
  await startEngine(async () => ({ outcome: 'done' }));
  await untilState(id, 'faulty');
  expect((await server.call('GET', `/api/v1/runs/${id}/items`)).body.items[0].error).toMatch(/worker died/);
});

test('a run that is stopped just before an item fails ends as stopped', async () => {
  const id = await startRun(1);
  let fail = () => {};
  let hasBegun = false;
  // No heartbeat comes in between: the failure is the first that the worker hears.
  await startEngine(
    () =>
      new Promise((_resolve, reject) => {
        hasBegun = true;
        fail = () => reject(new Error('it failed'));
      }),
    { leaseMs: 60_000 },
  );
  await eventually(async () => hasBegun);
  expect((await server.call('POST', `/api/v1/runs/${id}/stop`)).body.state).toBe('stopping');
  fail();
  await untilState(id, 'stopped');
});

test("runs whose items wait to be tried again don't keep others from beginning", async () => {
  const failing = await Promise.all(Array.from({ length: 30 }, () => startRun(1)));
  let isLast = false;
  await startEngine(
    async () => {
      if (!isLast) throw new Error('not now');
      return { outcome: 'done' };
    },
    { backoffBaseMs: 600_000 },
  );
  await eventually(async () => {
    const [rows] = await server.db.query<{ n: number }[]>(
      'SELECT COUNT(*) AS n FROM run_items WHERE attempts = 1',
    );
    return Number(rows[0]?.n) === failing.length;
  });
  isLast = true;
  await untilState(await startRun(1), 'done');
});

test('what was claimed before claiming failed is worked on', async () => {
  const [first, second] = [await startRun(2), await startRun(2)];
  let claims = 0;
  const db = new Proxy(server.db, {
    get(target, name) {
      if (name !== 'transaction') {
        const value = Reflect.get(target, name);
        return typeof value === 'function' ? value.bind(target) : value;
      }
      return (work: Parameters<Database['transaction']>[0]) => {
        claims += 1;
        if (claims === 2) return Promise.reject(new Error('the line was cut'));
        return target.transaction(work);
      };
    },
  });
  await startEngine(async () => ({ outcome: 'done' }), { db, leaseMs: 60_000 });
  await untilState(first, 'done');
  await untilState(second, 'done');
});

test('an item can be given up, whatever its failure says', async () => {
  const id = await startRun(2);
  await startEngine(
    async ({ asset }) => {
      throw new Error(asset === '0' ? `${'x'.repeat(100_000)}` : '\ud83d\ude00\ud800'.repeat(50_000));
    },
    { maxAttempts: 1 },
  );
  await untilState(id, 'faulty');
  expect(await readRun(id)).toMatchObject({ failed: 2 });
});

test('work that gives no sign is given up, and its slot is free for others', async () => {
  const id = await startRun(3);
  await startEngine(
    ({ asset }) => (asset === '0' ? new Promise(() => {}) : Promise.resolve({ outcome: 'done' })),
    { slots: 1, maxWorkMs: 150, maxAttempts: 2 },
  );
  await untilState(id, 'faulty');
  const { items } = (await server.call('GET', `/api/v1/runs/${id}/items?state=failed`)).body;
  expect(items.map(({ error }: { error: string }) => error)).toEqual([
    'It was stuck: no progress for 0 s. (tried 2 times)',
  ]);
  expect(await readRun(id)).toMatchObject({ done: 2, failed: 1 });
});

test('a fault of what it runs on holds a run, which says why, and costs no attempt', async () => {
  const id = await startRun(3);
  let isFull = true;
  await startEngine(async () => {
    if (isFull) throw new UniferumError('storage-full', 'The store "server" is full.');
    return { outcome: 'done' };
  });
  await eventually(async () => (await readRun(id)).heldReason === 'The store "server" is full.');
  const run = await readRun(id);
  expect([run.state, run.failed]).toEqual([expect.stringMatching(/waiting|working/), 0]);
  isFull = false;
  await untilState(id, 'done');
  const { items } = (await server.call('GET', `/api/v1/runs/${id}/items`)).body;
  expect(items.map(({ attempts }: { attempts: number }) => attempts)).toEqual([1, 1, 1]);
  expect((await readRun(id)).heldReason).toBeNull();
});

/** Starts a worker as a process of its own, as an operator does. */
