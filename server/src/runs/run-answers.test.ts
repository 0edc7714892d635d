import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { change } from '../shared/database.js';
import { startTestServer, type TestServer } from '../testing/harness.js';
import { startTestRun } from '../testing/test-run.js';
import { listItems } from './item-queries.js';
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
