import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { change, inTransaction, selectOne } from '../shared/database.js';
import { startTestServer, type TestServer } from '../testing/harness.js';
import { startTestRun, testRun } from '../testing/test-run.js';
import { countItems, countItemsByKey, insertItems, listItems } from './item-queries.js';
import { claimItems, endItem, holdRun, updateItemEnd } from './lease-queries.js';
import { beginRun } from './ledger.js';
import { runProgress } from './progress.js';
import { findActiveRun, findRun, type RunRow, toRunAnswer } from './queries.js';
import { addToMinute, heartbeat, readWorkers } from './worker-queries.js';

const AT = new Date('2026-05-20T12:00:00.000Z');
const NOW = AT.getTime() + 1000;
const row = (more: Partial<RunRow> = {}): RunRow => ({
  ...{ id: 7, kind: 'test', title: 'A run', folder: null, state: 'working', total: 100, items: 100 },
  ...{ done: 10, failed: 0, skipped: 0, undo_of: null, counts_bytes: 0, can_undo: 1 },
  ...{ sample_at: AT, sample_ended: 10, sample_rate: 3.456, bytes_before: 5, bytes_after: 4 },
  ...{ held_reason: null, created_at: AT, started_at: AT, finished_at: null, updated_at: AT },
  ...more,
});
const answer = (more: Partial<RunRow> = {}, nowMs = NOW) => toRunAnswer(row(more), nowMs);

describe('the answer about a run', () => {
  test('has its counts, times and rate', () => {
    expect(answer({ undo_of: 3 })).toEqual({
      ...{
        id: '7',
        kind: 'test',
        title: 'A run',
        state: 'working',
        total: 100,
        done: 10,
        failed: 0,
        skipped: 0,
      },
      ...{ canUndo: false, undoOf: '3', startedAt: AT.toISOString(), createdAt: AT.toISOString() },
      ...{ finishedAt: null, rate: 3.46, secondsLeft: 27, heldReason: null, bytes: null },
    });
    expect(answer().undoOf).toBeNull();
  });

  test.each<[RunRow['state'], boolean, boolean]>([
    ['waiting', false, true],
    ['working', true, false],
    ['stopping', true, false],
    ['stopped', false, true],
    ['done', false, true],
    ['faulty', false, true],
    ['failed', false, true],
  ])('that is %s: with a rate %s, to be undone %s', (state, hasRate, canUndo) => {
    const { rate, secondsLeft, canUndo: can } = answer({ state });
    expect([rate !== null, secondsLeft !== null, can]).toEqual([hasRate, hasRate, canUndo]);
  });

  test('says that it can be undone only where it has done something that can', () => {
    expect(answer({ state: 'done', done: 0 }).canUndo).toBe(false);
    expect(answer({ state: 'done', done: 1 }).canUndo).toBe(true);
    expect(answer({ state: 'done', can_undo: 0 }).canUndo).toBe(false);
  });

  test('has no rate before the first sample, and none of an old one', () => {
    expect(answer({ sample_at: null }).rate).toBeNull();
    expect(answer({}, NOW + 3_600_000).rate).toBeNull();
    expect(answer({ sample_rate: null }).rate).toBeNull();
  });

  test('says why it is held while it goes on, and not once it has ended', () => {
    const held = (state: RunRow['state']) => answer({ state, held_reason: 'the disk is full' }).heldReason;
    expect([held('waiting'), held('working'), held('stopping')]).toEqual(Array(3).fill('the disk is full'));
    expect([held('stopped'), held('done')]).toEqual([null, null]);
  });

  test('has its bytes where it counts them', () => {
    expect(answer({ counts_bytes: 1 }).bytes).toEqual({ before: 5, after: 4 });
  });
});

describe('with a database', () => {
  let server: TestServer;
  beforeAll(async () => {
    server = await startTestServer();
  });
  afterAll(() => server.close());

  test('progress begins with now, and tells each change once', async () => {
    const { data, until } = await runProgress.readSince(server.db, null);
    expect(data).toEqual([]);
    await startTestRun(server, 2, 'later');
    const next = await runProgress.readSince(server.db, until);
    expect(next.data).toMatchObject([{ title: 'later', total: 2, state: 'waiting' }]);
    expect(next.until.getTime()).toBeGreaterThan(until.getTime());
    expect(await runProgress.readSince(server.db, next.until)).toEqual({ data: [], until: next.until });
  });

  test('the oldest run of a kind that has not ended is found', async () => {
    expect(await findActiveRun(server.db, 'none')).toBeNull();
    const id = await startTestRun(server, 1, 'first');
    await startTestRun(server, 1, 'second');
    const found = await findActiveRun(server.db, 'test');
    expect(Number(found?.id)).toBeLessThanOrEqual(Number(id));
    await change(server.db, "UPDATE runs SET state = 'done'");
    expect(await findActiveRun(server.db, 'test')).toBeNull();
  });

  test('workers are busy by the share of their slots and of the time that they live', async () => {
    await heartbeat(server.db, { id: 'one', host: 'light', pid: 7, slots: 2 });
    await change(server.db, 'UPDATE workers SET started_at = NOW(3) - INTERVAL 100 SECOND');
    await addToMinute(server.db, 'one', { done: 1, failed: 0, busyMs: 50_000 });
    const busy = async () => (await readWorkers(server.db, 60)).workers[0]?.busy ?? Number.NaN;
    expect(Math.abs((await busy()) - 0.25)).toBeLessThan(0.02);
    // Of a worker that lives for long, the last hour counts.
    await change(server.db, 'UPDATE workers SET started_at = NOW(3) - INTERVAL 10 HOUR');
    expect(Math.abs((await busy()) - 50_000 / 7_200_000)).toBeLessThan(0.001);
    await addToMinute(server.db, 'one', { done: 1, failed: 0, busyMs: 50_000_000 });
    expect(await busy()).toBe(1);
  });

  test('the items of a state are those, and of a stopped run those that wait are stopped', async () => {
    const id = await startTestRun(server, 3);
    await change(server.db, "UPDATE run_items SET state = 'failed' WHERE run_id = ? AND title = 'item 1'", [
      id,
    ]);
    const itemsOf = async (
      state: 'waiting' | 'working' | 'stopped' | 'done',
      wanted?: 'waiting' | 'failed' | 'stopped',
    ) => {
      await change(server.db, 'UPDATE runs SET state = ? WHERE id = ?', [state, id]);
      const run = await findRun(server.db, id);
      if (run === null) throw new Error('Expected the run');
      const items = await listItems(server.db, run, { limit: 9, after: 0, state: wanted });
      return items.map(({ title }) => title.slice(-1)).join('');
    };
    expect([await itemsOf('working'), await itemsOf('stopped')]).toEqual(['012', '012']);
    expect([await itemsOf('working', 'failed'), await itemsOf('stopped', 'failed')]).toEqual(['1', '1']);
    expect([await itemsOf('working', 'stopped'), await itemsOf('stopped', 'stopped')]).toEqual(['', '02']);
    expect(await itemsOf('working', 'waiting')).toBe('02');
  });

  test('an item is answered with its state, bytes and times', async () => {
    const id = await startTestRun(server, 4);
    const set = (n: number, sql: string) =>
      change(server.db, `UPDATE run_items SET ${sql} WHERE run_id = ? AND title = ?`, [id, `item ${n}`]);
    await set(0, "state = 'done', note = 'made', bytes_before = 9, bytes_after = 0, finished_at = NOW(3)");
    await set(1, "state = 'failed', error = 'it is empty', bytes_before = 9, attempts = 2");
    await set(2, "state = 'working', started_at = NOW(3), bytes_after = 9");
    const itemsOf = async (state: string) => {
      await change(server.db, 'UPDATE runs SET state = ? WHERE id = ?', [state, id]);
      const run = await findRun(server.db, id);
      if (run === null) throw new Error('Expected the run');
      return listItems(server.db, run, { limit: 9, after: 0, state: undefined });
    };
    const working = await itemsOf('working');
    expect(working.map(({ state }) => state)).toEqual(['done', 'failed', 'working', 'waiting']);
    expect((await itemsOf('stopped')).map(({ state }) => state)).toEqual([
      ...['done', 'failed', 'working', 'stopped'],
    ]);
    expect(working).toMatchObject([
      { note: 'made', error: null, bytes: { before: 9, after: 0 }, startedAt: null },
      { note: null, error: 'it is empty', bytes: null, attempts: 2, finishedAt: null },
      { bytes: null, finishedAt: null },
      { bytes: null },
    ]);
    expect([working[0]?.finishedAt, working[2]?.startedAt].map((time) => typeof time)).toEqual([
      ...['string', 'string'],
    ]);
  });

  test('the items of a state are counted as they are listed', async () => {
    const id = await startTestRun(server, 3);
    await change(server.db, "UPDATE run_items SET state = 'failed' WHERE run_id = ? AND title = 'item 1'", [
      id,
    ]);
    const countIn = async (state: string, wanted?: 'waiting' | 'failed' | 'stopped') => {
      await change(server.db, 'UPDATE runs SET state = ? WHERE id = ?', [state, id]);
      const run = await findRun(server.db, id);
      if (run === null) throw new Error('Expected the run');
      return countItems(server.db, run, wanted);
    };
    expect([await countIn('working'), await countIn('working', 'waiting')]).toEqual([3, 2]);
    expect([await countIn('working', 'stopped'), await countIn('stopped', 'stopped')]).toEqual([0, 2]);
    expect([await countIn('stopped', 'failed'), await countIn('working', 'failed')]).toEqual([1, 1]);
  });

  test('items are counted by how their keys begin, letter by letter', async () => {
    const id = await startTestRun(server, 0);
    await inTransaction(server.db, (tx) =>
      insertItems(
        tx,
        id,
        ['a%b:1', 'a%b:2', 'axb:1', 'a_b:1', 'b'].map((key) => ({ key, title: key, input: {} })),
      ),
    );
    expect(await countItemsByKey(server.db, id, 'a%b:')).toBe(2);
    expect(await countItemsByKey(server.db, id, 'a_')).toBe(1);
    expect(await countItemsByKey(server.db, id, 'a')).toBe(4);
    expect(await countItemsByKey(server.db, '0', 'a')).toBe(0);
  });

  test('what is too long to be kept is cut, and keeps its beginning', async () => {
    const long = `${'x'.repeat(3000)}y`;
    const id = await inTransaction(server.db, async (tx) => {
      const run = await beginRun(tx, testRun, { title: long, by: 'Edda' });
      await insertItems(tx, run, [{ key: long, title: long, input: { asset: '0' } }]);
      return run;
    });
    const run = await findRun(server.db, id);
    expect(run?.title).toBe(long.slice(0, 200));
    const claimed = await inTransaction(server.db, (tx) =>
      claimItems(
        tx,
        { id: Number(id), kind: 'test' },
        { limit: 1, token: 't', worker: 'w', leaseMs: 60_000 },
      ),
    );
    const [item] = claimed;
    if (!item) throw new Error('Expected an item');
    expect(item.title).toBe(long.slice(0, 300));
    const noted = async () =>
      selectOne(server.db, 'SELECT note, error, reason FROM run_items WHERE id = ?', [item.id]);
    await inTransaction(server.db, async (tx) => {
      expect(await endItem(tx, item, { state: 'failed', note: long, error: long, reason: long })).toBe(true);
      expect(await endItem(tx, item, { state: 'done', note: null, error: null, reason: null })).toBe(false);
    });
    const kept = long.slice(0, 2000);
    expect(await noted()).toEqual({ note: kept, error: kept, reason: long.slice(0, 160) });
    await inTransaction(server.db, (tx) => updateItemEnd(tx, item, { note: `z${long}` }));
    expect(await noted()).toMatchObject({ note: `z${long}`.slice(0, 2000) });
    await inTransaction(server.db, (tx) => holdRun(tx, Number(id), long, 1000));
    expect((await findRun(server.db, id))?.held_reason).toBe(kept);
  });

  test('nothing is claimed of a run that was stopped, and no more than was asked for', async () => {
    const id = await startTestRun(server, 3);
    const claim = (limit: number) =>
      inTransaction(server.db, (tx) =>
        claimItems(tx, { id: Number(id), kind: 'test' }, { limit, token: 't', worker: 'w', leaseMs: 60_000 }),
      );
    await change(server.db, "UPDATE runs SET state = 'stopped' WHERE id = ?", [id]);
    expect(await claim(9)).toEqual([]);
    await change(server.db, "UPDATE runs SET state = 'waiting' WHERE id = ?", [id]);
    expect(await claim(2)).toMatchObject([
      { title: 'item 0', attempts: 1, token: 't', input: { asset: '0' }, kind: 'test', weight: 1 },
      { title: 'item 1', attempts: 1 },
    ]);
    expect(await claim(2)).toMatchObject([{ title: 'item 2' }]);
    expect(await claim(2)).toEqual([]);
    expect((await findRun(server.db, id))?.state).toBe('working');
  });

  test('each pause of a run is twice as long as the last, up to a minute, and none begins within another', async () => {
    const id = Number(await startTestRun(server, 1));
    const hold = () => inTransaction(server.db, (tx) => holdRun(tx, id, 'The disk is full.', 1000));
    const heldFor = async () => {
      const row = await selectOne<{ s: number; held_times: number }>(
        server.db,
        'SELECT TIMESTAMPDIFF(MICROSECOND, updated_at, held_until) / 1e6 AS s, held_times FROM runs WHERE id = ?',
        [id],
      );
      return [Math.round(Number(row?.s)), row?.held_times];
    };
    const paused: unknown[] = [];
    for (let n = 0; n < 8; n += 1) {
      await hold();
      await hold();
      paused.push(await heldFor());
      await change(server.db, 'UPDATE runs SET held_until = NOW(3) WHERE id = ?', [id]);
    }
    expect(paused).toEqual([1, 2, 4, 8, 16, 32, 60, 60].map((seconds, n) => [seconds, n + 1]));
  });

  test('each worker shows its own items', async () => {
    const id = await startTestRun(server, 3);
    await heartbeat(server.db, { id: 'two', host: 'light', pid: 8, slots: 2 });
    await change(
      server.db,
      "UPDATE run_items SET state = 'working', worker = IF(title = 'item 0', 'one', 'two'), started_at = NOW(3) WHERE run_id = ?",
      [id],
    );
    const { workers } = await readWorkers(server.db, 60);
    expect(workers.map(({ id: name, items }) => [name, items.map(({ title }) => title)])).toEqual([
      ['one', ['item 0']],
      ['two', ['item 1', 'item 2']],
    ]);
  });
});
