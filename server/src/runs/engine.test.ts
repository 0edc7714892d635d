import { setTimeout as wait } from 'node:timers/promises';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { change, type Database, select } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { eventually, startTestServer, type TestServer } from '../testing/harness.js';
import { clearRuns, startTestEngine, startTestRun, type TestWork } from '../testing/test-run.js';
import type { RunEngine } from './engine.js';
import { findRun } from './queries.js';
import { readWorkers } from './worker-queries.js';

let server: TestServer;
const engines: RunEngine[] = [];
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());
beforeEach(async () => {
  await clearRuns(server);
});
afterEach(async () => {
  await closeEngines();
});

const closeEngines = () => Promise.all(engines.splice(0).map((engine) => engine.close()));
async function work(doing: TestWork, options: Parameters<typeof startTestEngine>[2] = {}) {
  engines.push(await startTestEngine(server, doing, options));
}
const stateOf = async (id: string) => (await findRun(server.db, id))?.state;
const untilState = (id: string, state: string) => eventually(async () => (await stateOf(id)) === state);
const itemsOf = (id: string) =>
  select<{ state: string; attempts: number; token: string | null; error: string | null }>(
    server.db,
    'SELECT state, attempts, token, error FROM run_items WHERE run_id = ? ORDER BY id',
    [id],
  );
/** Work that goes on until it is aborted, and how. */
const untilAborted = (aborted: unknown[]): TestWork => {
  return (_input, signal) =>
    new Promise((_resolve, reject) =>
      signal.addEventListener('abort', () => {
        aborted.push(signal.reason);
        reject(signal.reason);
      }),
    );
};
/** The server's database, whose transactions fail as the test says. */
const faultyDatabase = (faultOf: () => Error | null): Database =>
  new Proxy(server.db, {
    get(target, name) {
      if (name === 'transaction')
        return (doing: Parameters<Database['transaction']>[0]) => {
          const fault = faultOf();
          return fault ? Promise.reject(fault) : target.transaction(doing);
        };
      const value = Reflect.get(target, name);
      return typeof value === 'function' ? value.bind(target) : value;
    },
  });

test('an engine that closes gives back what it holds and what waits for a slot, without an attempt', async () => {
  const id = await startTestRun(server, 9);
  const aborted: unknown[] = [];
  await work(untilAborted(aborted), { slots: 2, ahead: 1 });
  // Three at work, and as many claimed ahead.
  await eventually(async () => (await itemsOf(id)).filter(({ state }) => state === 'working').length === 6);
  await closeEngines();
  expect(aborted).toEqual(Array(3).fill('shutdown'));
  expect(await itemsOf(id)).toEqual(
    Array(9).fill({ state: 'waiting', attempts: 0, token: null, error: null }),
  );
  expect((await readWorkers(server.db, 60)).workers).toEqual([]);
});

test('claiming that fails is tried again at longer and longer intervals, which begin anew once it succeeds', async () => {
  const cut = new Error('the line was cut');
  const first = await startTestRun(server, 1);
  let failures = 13;
  const db = faultyDatabase(() => {
    failures -= 1;
    return failures >= 0 ? cut : null;
  });
  const waits: number[] = [];
  const delay = async (ms: number, signal: AbortSignal) => {
    waits.push(ms);
    await wait(1, undefined, { signal });
  };
  await work(async () => ({ outcome: 'done' }), { db, delay, idleMs: 7, leaseMs: 600_000 });
  await untilState(first, 'done');
  const doubling = Array.from({ length: 11 }, (_, n) => 7 * 2 ** n);
  expect(waits.slice(0, 13)).toEqual([...doubling, 10_000, 10_000]);
  await eventually(async () => waits.length > 14);
  expect(new Set(waits.slice(13))).toEqual(new Set([7]));
  failures = 3;
  await untilState(await startTestRun(server, 1), 'done');
  expect(waits.filter((ms) => ms > 7).slice(-2)).toEqual([14, 28]);
});

test('a lost item is abandoned, and what it made counts for nothing', async () => {
  const id = await startTestRun(server, 1);
  const aborted: unknown[] = [];
  await work(untilAborted(aborted), { leaseMs: 3000 });
  await untilState(id, 'working');
  await change(
    server.db,
    "UPDATE run_items SET token = 'another', lease_until = NOW(3) + INTERVAL 1 HOUR WHERE run_id = ?",
    [id],
  );
  await eventually(async () => aborted.length === 1);
  await closeEngines();
  expect(aborted).toEqual(['lost']);
  expect(await itemsOf(id)).toMatchObject([{ state: 'working', token: 'another', attempts: 1 }]);
});

test('a lease is renewed again and again while an item is worked on, and an idle worker writes nothing down', async () => {
  const seen = async (sql: string) => JSON.stringify(await select(server.db, sql)).replaceAll(/\s/g, '');
  /** Waits until the answer has changed so many times. */
  const untilChanged = async (times: number, sql: string) => {
    for (let n = 0; n < times; n += 1) {
      const before = await seen(sql);
      await eventually(async () => (await seen(sql)) !== before);
    }
  };
  let finish = () => {};
  await work(
    () =>
      new Promise((resolve) => {
        finish = () => resolve({ outcome: 'done' });
      }),
    { leaseMs: 900 },
  );
  await untilChanged(3, 'SELECT seen_at FROM workers');
  expect(await seen('SELECT * FROM worker_minutes')).toBe('[]');
  const id = await startTestRun(server, 1);
  await untilState(id, 'working');
  await untilChanged(3, 'SELECT lease_until FROM run_items');
  finish();
  await untilState(id, 'done');
  expect(await itemsOf(id)).toMatchObject([{ state: 'done', attempts: 1 }]);
});

test('an item that could not be given back is, when the database is there again', async () => {
  const id = await startTestRun(server, 1);
  let isAway = false;
  let begun = 0;
  const db = faultyDatabase(() => (isAway ? new Error('the line was cut') : null));
  await work(
    async () => {
      begun += 1;
      if (begun > 1) return { outcome: 'done' };
      isAway = true;
      throw new Error('it failed');
    },
    { db, leaseMs: 3000 },
  );
  await eventually(async () => begun === 1 && isAway);
  // Its lease is renewed no more, but it has not run out either: only its worker can give it back.
  await change(server.db, 'UPDATE run_items SET lease_until = NOW(3) + INTERVAL 1 HOUR');
  isAway = false;
  await untilState(id, 'done');
  // The attempt whose end could not be written doesn't count.
  expect(await itemsOf(id)).toMatchObject([{ state: 'done', attempts: 1 }]);
});

describe('what an item made', () => {
  test('is released, whether it was recorded or not', async () => {
    const id = await startTestRun(server, 3);
    const released: string[] = [];
    await work(
      async ({ asset }) => ({
        outcome: 'done',
        persist: async () => {
          if (asset === '0') throw new Error('the store is away');
        },
        record: async () => {
          if (asset === '1') throw new Error('the row is away');
        },
        release: async () => {
          released.push(asset);
        },
      }),
      { maxAttempts: 1 },
    );
    await untilState(id, 'faulty');
    await closeEngines();
    expect(released.sort()).toEqual(['0', '1', '2']);
    expect(await itemsOf(id)).toMatchObject([
      { state: 'failed', error: 'the store is away (tried once)' },
      { state: 'failed', error: 'the row is away (tried once)' },
      { state: 'done' },
    ]);
  });

  test('may say more when it is recorded: in words, in bytes, or in units', async () => {
    const id = await startTestRun(server, 4);
    const recorded = [
      { note: 'recorded' },
      { bytes: { before: 9, after: 4 } },
      { bytes: { before: 1, after: 2 }, note: 'both' },
      { skipped: 3 },
    ];
    await work(async ({ asset }) => ({
      outcome: 'done',
      note: 'made',
      record: async () => recorded[Number(asset)],
    }));
    await eventually(async () => ((await findRun(server.db, id))?.skipped ?? 0) === 3);
    await closeEngines();
    expect(await findRun(server.db, id)).toMatchObject({
      bytes_before: 10,
      bytes_after: 6,
      done: 3,
      skipped: 3,
    });
    const notes = await select(
      server.db,
      'SELECT note, bytes_before, bytes_after FROM run_items WHERE run_id = ? ORDER BY id',
      [id],
    );
    expect(notes).toEqual([
      { note: 'recorded', bytes_before: null, bytes_after: null },
      { note: 'made', bytes_before: 9, bytes_after: 4 },
      { note: 'both', bytes_before: 1, bytes_after: 2 },
      { note: 'made', bytes_before: null, bytes_after: null },
    ]);
  });

  test('counts, even where something fails afterwards', async () => {
    const id = await startTestRun(server, 2);
    const done: string[] = [];
    await work(async ({ asset }) => ({
      outcome: 'done',
      afterwards: async () => {
        done.push(asset);
        throw new Error('nobody listens');
      },
      release: async () => {
        throw new Error('it is in use');
      },
    }));
    await untilState(id, 'done');
    await closeEngines();
    expect(done.sort()).toEqual(['0', '1']);
    expect(await itemsOf(id)).toMatchObject(Array(2).fill({ state: 'done', attempts: 1 }));
  });

  test('is released when it comes after its work was given up as stuck', async () => {
    const id = await startTestRun(server, 1);
    const released: string[] = [];
    const aborted: unknown[] = [];
    let finish = () => {};
    await work(
      (_input, signal) =>
        new Promise((resolve) => {
          signal.addEventListener('abort', () => aborted.push(String(signal.reason)));
          finish = () => resolve({ outcome: 'done', release: async () => void released.push('late') });
        }),
      { maxAttempts: 1, maxWorkMs: 1600 },
    );
    await untilState(id, 'faulty');
    expect(aborted).toEqual(['Error: It was stuck: no progress for 2 s.']);
    expect(released).toEqual([]);
    finish();
    await eventually(async () => released.length === 1);
  });
});

test('a worker counts what it did, and what it gave up', async () => {
  const id = await startTestRun(server, 4);
  await work(
    async ({ asset }) => {
      // Less than a millisecond counts as none.
      for (const began = performance.now(); performance.now() - began < 5; );
      if (asset === '0') throw new Error('it is cut off');
      if (asset === '1') return { outcome: 'failed', error: 'it is empty' };
      return { outcome: asset === '2' ? 'skipped' : 'done' };
    },
    { maxAttempts: 2, leaseMs: 3000 },
  );
  await untilState(id, 'faulty');
  const counted = async () => {
    const [worker] = (await readWorkers(server.db, 60)).workers;
    return [worker?.done, worker?.failed, (worker?.busy ?? 0) > 0];
  };
  await eventually(async () => JSON.stringify(await counted()) === '[2,2,true]');
});

test('a run that is held gets no failure, and an item that failed for what it runs on no attempt', async () => {
  const id = await startTestRun(server, 1);
  let isAway = true;
  await work(
    async () => {
      if (isAway) throw new UniferumError('store-away', 'The store "cellar" can\'t be reached.');
      return { outcome: 'done' };
    },
    { maxAttempts: 1 },
  );
  await eventually(async () => (await findRun(server.db, id))?.held_reason !== null);
  expect((await findRun(server.db, id))?.failed).toBe(0);
  isAway = false;
  await untilState(id, 'done');
  expect(await itemsOf(id)).toMatchObject([{ state: 'done', attempts: 1, error: null }]);
});
