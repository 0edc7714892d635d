import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { change, inTransaction, select, selectOne } from '../shared/database.js';
import { startTestServer, type TestServer } from '../testing/harness.js';
import { clearRuns, startTestRun, testRun } from '../testing/test-run.js';
import { holdRun } from './lease-queries.js';
import {
  addItems,
  addToOpenRun,
  beginGroupedRun,
  beginRun,
  endIfEmpty,
  resumeRun,
  retryFailures,
  retryRun,
  stopRun,
} from './ledger.js';
import { findRun } from './queries.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());
beforeEach(() => clearRuns(server));

const rowOf = async (id: string) => {
  const run = await findRun(server.db, id);
  if (run === null) throw new Error(`Expected run ${id}`);
  return run;
};
const setRun = (id: string, sql: string) => change(server.db, `UPDATE runs SET ${sql} WHERE id = ?`, [id]);
const setItem = (id: string, n: number, sql: string) =>
  change(server.db, `UPDATE run_items SET ${sql} WHERE run_id = ? AND title = ?`, [id, `item ${n}`]);
const statesOf = async (id: string) =>
  (
    await select<{ state: string }>(server.db, 'SELECT state FROM run_items WHERE run_id = ? ORDER BY id', [
      id,
    ])
  ).map(({ state }) => state);
/** The run's events after its beginning, as "type from>to by" or "type state". */
async function eventsOf(id: string): Promise<string[]> {
  const rows = await select<{ type: string; actor: string; data: string }>(
    server.db,
    "SELECT type, actor, data FROM events WHERE type LIKE 'run.%' AND type <> 'run.created' AND JSON_VALUE(data, '$.id') = ? ORDER BY id",
    [id],
  );
  return rows.map(({ type, actor, data }) => {
    const { from, to, state } = JSON.parse(data);
    return type === 'run.changed' ? `changed ${from}>${to} ${actor}` : `ended ${state}`;
  });
}

describe('stopping', () => {
  test.each(['waiting', 'working'])('a run that is %s and holds nothing ends at once', async (state) => {
    const id = await startTestRun(server, 2);
    await setRun(id, `state = '${state}'`);
    expect((await stopRun(server.db, id, 'Edda')).state).toBe('stopped');
    expect((await rowOf(id)).finished_at).toBeInstanceOf(Date);
    expect(await eventsOf(id)).toEqual(['ended stopped', `changed ${state}>stopped Edda`]);
  });

  test('a run whose items are worked on waits for them', async () => {
    const id = await startTestRun(server, 2);
    await setRun(id, "state = 'working'");
    await setItem(id, 0, "state = 'working'");
    expect((await stopRun(server.db, id, 'Edda')).state).toBe('stopping');
    expect((await rowOf(id)).finished_at).toBeNull();
    await stopRun(server.db, id, 'Edda');
    expect(await eventsOf(id)).toEqual(['changed working>stopping Edda']);
  });

  test.each(['stopped', 'done', 'faulty', 'failed'])('a run that is %s changes nothing', async (state) => {
    const id = await startTestRun(server, 1);
    await setRun(id, `state = '${state}'`);
    expect((await stopRun(server.db, id, 'Edda')).state).toBe(state);
    expect(await eventsOf(id)).toEqual([]);
  });
});

describe('resuming', () => {
  test.each(['stopped', 'stopping'])('a run that is %s lets it wait again', async (state) => {
    const id = await startTestRun(server, 1);
    await setRun(id, `state = '${state}', finished_at = NOW(3)`);
    expect((await resumeRun(server.db, id, 'Edda')).state).toBe('waiting');
    expect((await rowOf(id)).finished_at).toBeNull();
    expect(await eventsOf(id)).toEqual([`changed ${state}>waiting Edda`]);
  });

  test.each(['working', 'done', 'faulty'])('a run that is %s changes nothing', async (state) => {
    const id = await startTestRun(server, 1);
    await setRun(id, `state = '${state}'`);
    expect((await resumeRun(server.db, id, 'Edda')).state).toBe(state);
    expect(await eventsOf(id)).toEqual([]);
  });

  test('a run that is held goes on at once', async () => {
    const id = await startTestRun(server, 1);
    await inTransaction(server.db, (tx) => holdRun(tx, Number(id), 'The disk is full.', 60_000));
    expect((await rowOf(id)).held_reason).toBe('The disk is full.');
    await resumeRun(server.db, id, 'Edda');
    const held = await selectOne(
      server.db,
      'SELECT held_reason, held_until, held_times FROM runs WHERE id = ?',
      [id],
    );
    expect(held).toEqual({ held_reason: null, held_until: null, held_times: 0 });
  });
});

describe('retrying', () => {
  /** A run of four items of which two failed: one for a reason of its own, one of weight 3. */
  async function startFaulty(state = 'faulty'): Promise<string> {
    const id = await startTestRun(server, 4);
    await setItem(id, 0, "state = 'done'");
    await setItem(id, 1, "state = 'failed', reason = 'it is cut off', error = 'e', attempts = 5");
    await setItem(
      id,
      2,
      "state = 'failed', reason = 'it is empty', error = 'e', weight = 3, finished_at = NOW(3)",
    );
    await setItem(id, 3, "state = 'skipped'");
    await setRun(id, `state = '${state}', done = 1, skipped = 1, failed = 4, total = 6`);
    return id;
  }

  test('a faulty run lets what failed wait again, with all attempts', async () => {
    const id = await startFaulty();
    expect(await retryRun(server.db, id, 'Edda')).toMatchObject({ state: 'waiting', failed: 0, done: 1 });
    expect(await statesOf(id)).toEqual(['done', 'waiting', 'waiting', 'skipped']);
    const items = await select(
      server.db,
      "SELECT attempts, error, reason, finished_at FROM run_items WHERE run_id = ? AND state = 'waiting'",
      [id],
    );
    expect(items).toEqual(Array(2).fill({ attempts: 0, error: null, reason: null, finished_at: null }));
    expect(await eventsOf(id)).toEqual(['changed faulty>waiting Edda']);
  });

  test('a run that is still at work stays so', async () => {
    const id = await startFaulty('working');
    expect(await retryRun(server.db, id, 'Edda')).toMatchObject({ state: 'working', failed: 0 });
    expect(await eventsOf(id)).toEqual([]);
  });

  test('a run in which nothing failed changes nothing', async () => {
    const id = await startTestRun(server, 1);
    await setItem(id, 0, "state = 'done'");
    await setRun(id, "state = 'done', done = 1");
    expect(await retryRun(server.db, id, 'Edda')).toMatchObject({ state: 'done', done: 1, failed: 0 });
    expect(await eventsOf(id)).toEqual([]);
  });

  test('a failure of several runs leaves what failed for other reasons, and says so of each run', async () => {
    const [one, two, other] = [
      await startFaulty(),
      await startFaulty('working'),
      await startTestRun(server, 1),
    ];
    await inTransaction(server.db, (tx) => holdRun(tx, Number(two), 'The disk is full.', 60_000));
    const retried = await retryFailures(server.db, { reason: 'it is empty', kind: 'test' }, 'Edda');
    expect(retried).toEqual({ items: 2, runs: 2 });
    expect(await statesOf(one)).toEqual(['done', 'failed', 'waiting', 'skipped']);
    expect(await rowOf(one)).toMatchObject({ state: 'waiting', failed: 1 });
    expect(await rowOf(two)).toMatchObject({ state: 'working', failed: 1, held_reason: null });
    expect(await rowOf(other)).toMatchObject({ state: 'waiting', failed: 0 });
    expect(await eventsOf(one)).toEqual(['changed faulty>waiting Edda']);
    expect(await eventsOf(two)).toEqual([]);
    expect(await retryFailures(server.db, { reason: 'it is empty', kind: 'test' }, 'Edda')).toEqual({
      items: 0,
      runs: 0,
    });
  });
});

describe('a run that is begun', () => {
  test('with nothing to do has ended, and says so; one with items waits', async () => {
    const begin = (subjects: number[]) =>
      beginGroupedRun(
        server.db,
        testRun,
        { title: 'A test', by: 'Edda' },
        { subjects, perItem: 2, inputOf: (some) => ({ asset: some.join() }) },
      );
    const empty = await begin([]);
    expect(await rowOf(empty)).toMatchObject({ state: 'done', total: 0, items: 0 });
    expect(await eventsOf(empty)).toEqual(['ended done']);
    const full = await begin([1, 2, 3, 4]);
    expect(await rowOf(full)).toMatchObject({ state: 'waiting', total: 4, items: 2 });
    expect(await eventsOf(full)).toEqual([]);
    await inTransaction(server.db, (tx) => endIfEmpty(tx, full));
    expect((await rowOf(full)).state).toBe('waiting');
  });

  test('takes any number of items, each once', async () => {
    const id = await inTransaction(server.db, (tx) => beginRun(tx, testRun, { title: 'Many', by: 'Edda' }));
    const items = Array.from({ length: 2001 }, (_, n) => ({
      ...{ key: `${n}`, title: `item ${n}`, input: { asset: `${n}` } },
      ...(n === 2000 && { weight: 7 }),
    }));
    await inTransaction(server.db, (tx) => addItems(tx, id, testRun, items));
    expect(await rowOf(id)).toMatchObject({ total: 2007, items: 2001 });
    await inTransaction(server.db, (tx) => addItems(tx, id, testRun, items.slice(1990)));
    expect(await rowOf(id)).toMatchObject({ total: 2007, items: 2001 });
    await inTransaction(server.db, (tx) => addItems(tx, id, testRun, []));
    expect(await rowOf(id)).toMatchObject({ total: 2007, items: 2001 });
  });
});

test('items whose keys differ in anything are two; those with the same key are one', async () => {
  const long = `after:/${'lights/'.repeat(40)}`;
  const keys = [
    ...[`${long}:1000`, `${long}:2000`, 'after:/News:0', 'after:/news:0', 'after:/Éire:0', 'after:/Eire:0'],
    ...['after:/🗼:0', 'after:/🚂:0', 'a', 'a ', 'A', ''],
  ];
  const id = await inTransaction(server.db, (tx) => beginRun(tx, testRun, { title: 'Keys', by: 'Edda' }));
  const items = keys.map((key) => ({ key, title: key, input: { asset: key } }));
  const add = (some: typeof items) => inTransaction(server.db, (tx) => addItems(tx, id, testRun, some));
  await add(items);
  expect((await rowOf(id)).items).toBe(keys.length);
  await add(items.toReversed());
  expect((await rowOf(id)).items).toBe(keys.length);
});

describe('an open run', () => {
  const add = (key: string, folder?: string) =>
    inTransaction(server.db, (tx) =>
      addToOpenRun(tx, testRun, { title: 'Arrivals', by: 'Edda', ...(folder && { folder }) }, [
        { key, title: key, input: { asset: key } },
      ]),
    );

  test.each(['waiting', 'working'])(
    'that is %s takes more items, and names the folder of them all',
    async (state) => {
      const id = await add('a', '/news/may/one');
      expect(await rowOf(id)).toMatchObject({ folder: '/news/may/one', total: 1 });
      await setRun(id, `state = '${state}'`);
      expect(await add('b', '/news/may/two')).toBe(id);
      expect(await rowOf(id)).toMatchObject({ folder: '/news/may', total: 2 });
      expect(await add('c', '/news/may/three')).toBe(id);
      expect((await rowOf(id)).folder).toBe('/news/may');
      // Whose folder is not known may lie anywhere; what the run says of the others stays.
      expect(await add('d')).toBe(id);
      expect(await rowOf(id)).toMatchObject({ folder: '/news/may', total: 4 });
    },
  );

  test('that has no folder gets none', async () => {
    const id = await add('a');
    expect(await add('b', '/news')).toBe(id);
    expect((await rowOf(id)).folder).toBeNull();
  });

  test.each(['stopping', 'stopped', 'done', 'faulty', 'failed'])(
    'that is %s takes no more: another begins',
    async (state) => {
      const id = await add('a');
      await setRun(id, `state = '${state}'`);
      const next = await add('b');
      expect(next).not.toBe(id);
      expect(await rowOf(next)).toMatchObject({ state: 'waiting', total: 1 });
    },
  );
});
