import {
  currentRate,
  type ItemState,
  type Run,
  type RunItem,
  type RunState,
  secondsLeft,
} from '@uniferum/core';
import {
  change,
  changeExpanded,
  type Executor,
  isoTime,
  isoTimeOrNull,
  type SqlValue,
  select,
  selectExpanded,
  selectOne,
  type Transaction,
} from '../shared/database.js';

export interface RunRow {
  id: number;
  kind: string;
  title: string;
  state: RunState;
  total: number;
  done: number;
  failed: number;
  skipped: number;
  undo_of: number | null;
  sample_at: Date | null;
  sample_ended: number;
  sample_rate: number | null;
  bytes_before: number;
  bytes_after: number;
  created_at: Date;
  started_at: Date | null;
  finished_at: Date | null;
  updated_at: Date;
}

const RUN_COLUMNS =
  'id, kind, title, state, total, done, failed, skipped, undo_of, sample_at, sample_ended, sample_rate, bytes_before, bytes_after, created_at, started_at, finished_at, updated_at';

export async function findRun(db: Executor, id: string, { lock = false } = {}): Promise<RunRow | null> {
  return selectOne<RunRow>(db, `SELECT ${RUN_COLUMNS} FROM runs WHERE id = ? ${lock ? 'FOR UPDATE' : ''}`, [
    id,
  ]);
}

/** Reads one page of runs, newest first, with one row more than `limit`. */
export async function listRuns(
  db: Executor,
  { limit, before, state }: { limit: number; before: number | null; state: RunState | undefined },
): Promise<RunRow[]> {
  const conditions = ['1 = 1'];
  const values: SqlValue[] = [];
  if (before !== null) {
    conditions.push('id < ?');
    values.push(before);
  }
  if (state !== undefined) {
    conditions.push('state = ?');
    values.push(state);
  }
  return select<RunRow>(
    db,
    `SELECT ${RUN_COLUMNS} FROM runs WHERE ${conditions.join(' AND ')} ORDER BY id DESC LIMIT ?`,
    [...values, limit + 1],
  );
}

export async function countRuns(db: Executor, states: readonly RunState[] | null): Promise<number> {
  const rows =
    states === null
      ? await select<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM runs')
      : await selectExpanded<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM runs WHERE state IN (?)', [
          states,
        ]);
  return rows[0]?.n ?? 0;
}

/** Lists the runs that changed after a moment of the database's clock, and that clock's now. */
export async function listRunsChangedSince(db: Executor, since: Date): Promise<RunRow[]> {
  return select<RunRow>(
    db,
    `SELECT ${RUN_COLUMNS} FROM runs WHERE updated_at > ? ORDER BY updated_at LIMIT 200`,
    [since],
  );
}

export interface NewRun {
  kind: string;
  title: string;
  by: string;
  /** An open run takes more items while it is going on. */
  isOpen?: boolean;
  isUrgent?: boolean;
  /** The run whose changes it takes back. */
  undoOf?: string;
}

export async function insertRun(
  tx: Transaction,
  { kind, title, by, isOpen = false, isUrgent = false, undoOf }: NewRun,
): Promise<string> {
  return String(
    (
      await change(
        tx,
        'INSERT INTO runs (kind, title, made_by, is_open, is_urgent, undo_of) VALUES (?, ?, ?, ?, ?, ?)',
        [kind, title, by, isOpen, isUrgent, undoOf ?? null],
      )
    ).insertId,
  );
}

/** Finds the open run of a kind that is still going on, and holds it; null when there is none. */
export async function lockOpenRun(tx: Transaction, kind: string): Promise<string | null> {
  const row = await selectOne<{ id: number }>(
    tx,
    `SELECT id FROM runs
     WHERE kind = ? AND is_open = 1 AND state IN ('waiting', 'working')
     ORDER BY id DESC
     LIMIT 1
     FOR UPDATE`,
    [kind],
  );
  return row && String(row.id);
}

export interface NewItem {
  key: string;
  title: string;
  input: unknown;
  weight?: number;
}

/** Adds items to a run that is held; an item whose key is there already is not added again. @returns how many are new */
export async function insertItems(
  tx: Transaction,
  runId: string,
  items: readonly NewItem[],
): Promise<number> {
  if (items.length === 0) return 0;
  const rows = items.map(({ key, title, input, weight = 1 }) => [
    runId,
    key,
    title.slice(0, 300),
    JSON.stringify(input),
    weight,
  ]);
  const { affectedRows } = await changeExpanded(
    tx,
    'INSERT IGNORE INTO run_items (run_id, item_key, title, input, weight) VALUES ?',
    [rows],
  );
  if (affectedRows < rows.length) await recountTotal(tx, runId);
  else
    await change(tx, 'UPDATE runs SET total = total + ?, updated_at = NOW(3) WHERE id = ?', [
      rows.reduce((sum, [, , , , weight]) => sum + Number(weight), 0),
      runId,
    ]);
  return affectedRows;
}

/** Sets a run's total from its items, after they were written by one statement. */
export async function recountTotal(tx: Transaction, runId: string): Promise<number> {
  await change(
    tx,
    'UPDATE runs SET total = (SELECT COALESCE(SUM(weight), 0) FROM run_items WHERE run_id = ?), updated_at = NOW(3) WHERE id = ?',
    [runId, runId],
  );
  return (await selectOne<{ total: number }>(tx, 'SELECT total FROM runs WHERE id = ?', [runId]))?.total ?? 0;
}

export async function updateRunState(tx: Transaction, id: string, state: RunState): Promise<void> {
  const ended = state === 'stopped' || state === 'done' || state === 'faulty' || state === 'failed';
  await change(
    tx,
    `UPDATE runs SET state = ?, finished_at = ${ended ? 'NOW(3)' : 'NULL'}, updated_at = NOW(3) WHERE id = ?`,
    [state, id],
  );
}

/** Counts a run's items that a worker holds now. */
export async function countWorkingItems(tx: Transaction, runId: string): Promise<number> {
  return (
    (
      await selectOne<{ n: number }>(
        tx,
        "SELECT COUNT(*) AS n FROM run_items WHERE run_id = ? AND state = 'working'",
        [runId],
      )
    )?.n ?? 0
  );
}

/** Lets the failed items of a run that is held wait again. @returns how many */
export async function rewaitFailedItems(tx: Transaction, runId: string): Promise<number> {
  const row = await selectOne<{ weight: number }>(
    tx,
    "SELECT COALESCE(SUM(weight), 0) AS weight FROM run_items WHERE run_id = ? AND state = 'failed'",
    [runId],
  );
  const { affectedRows } = await change(
    tx,
    "UPDATE run_items SET state = 'waiting', attempts = 0, not_before = NOW(3), error = NULL, reason = NULL, finished_at = NULL WHERE run_id = ? AND state = 'failed'",
    [runId],
  );
  await change(tx, 'UPDATE runs SET failed = failed - ?, updated_at = NOW(3) WHERE id = ?', [
    Number(row?.weight ?? 0),
    runId,
  ]);
  return affectedRows;
}

interface ItemRow {
  id: number;
  title: string;
  state: ItemState;
  attempts: number;
  note: string | null;
  error: string | null;
  bytes_before: number | null;
  bytes_after: number | null;
  started_at: Date | null;
  finished_at: Date | null;
}

/** Reads one page of a run's items in their order, with one more than `limit`. */
export async function listItems(
  db: Executor,
  run: RunRow,
  { limit, after, state }: { limit: number; after: number; state: ItemState | undefined },
): Promise<RunItem[]> {
  // The waiting items of a stopped run are the stopped ones: stopping and resuming a million items changes one row.
  const stored = run.state === 'stopped' && state === 'stopped' ? 'waiting' : state;
  const values: SqlValue[] = [run.id, after, ...(stored === undefined ? [] : [stored]), limit + 1];
  const rows = await select<ItemRow>(
    db,
    `SELECT id, title, state, attempts, note, error, bytes_before, bytes_after, started_at, finished_at
     FROM run_items
     WHERE run_id = ? AND id > ? ${stored === undefined ? '' : 'AND state = ?'}
     ORDER BY id
     LIMIT ?`,
    values,
  );
  return rows.map((row) => ({
    id: String(row.id),
    title: row.title,
    state: run.state === 'stopped' && row.state === 'waiting' ? 'stopped' : row.state,
    attempts: row.attempts,
    note: row.note,
    error: row.error,
    bytes:
      row.bytes_before === null || row.bytes_after === null
        ? null
        : { before: row.bytes_before, after: row.bytes_after },
    startedAt: isoTimeOrNull(row.started_at),
    finishedAt: isoTimeOrNull(row.finished_at),
  }));
}

/** Counts a run's items in a state. */
export async function countItems(db: Executor, run: RunRow, state: ItemState | undefined): Promise<number> {
  if (state === undefined && run.kind === 'renditions') return run.total;
  if (state === undefined)
    return (
      (await selectOne<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM run_items WHERE run_id = ?', [run.id]))
        ?.n ?? 0
    );
  const stored = run.state === 'stopped' && state === 'stopped' ? 'waiting' : state;
  return (
    (
      await selectOne<{ n: number }>(
        db,
        'SELECT COUNT(*) AS n FROM run_items WHERE run_id = ? AND state = ?',
        [run.id, stored],
      )
    )?.n ?? 0
  );
}

/** The kinds of runs that remember what they changed. */
const UNDOABLE = new Set(['bulk-edit', 'bulk-bin', 'surplus-remove']);

/** The kinds of runs that make files of others. */
const SIZED = new Set(['renditions', 'renditions-soon', 'optimise', 'surplus-remove']);

/** Turns a row into an answer. */
export function toRunAnswer(row: RunRow, nowMs: number): Run {
  const isMoving = row.state === 'working' || row.state === 'stopping';
  const rate =
    isMoving && row.sample_at
      ? currentRate(
          { atMs: row.sample_at.getTime(), ended: row.sample_ended, perSecond: row.sample_rate },
          nowMs,
        )
      : null;
  return {
    id: String(row.id),
    kind: row.kind,
    title: row.title,
    state: row.state,
    total: row.total,
    done: row.done,
    failed: row.failed,
    skipped: row.skipped,
    canUndo: UNDOABLE.has(row.kind) && !isMoving && row.done > 0,
    undoOf: row.undo_of === null ? null : String(row.undo_of),
    startedAt: isoTimeOrNull(row.started_at),
    finishedAt: isoTimeOrNull(row.finished_at),
    createdAt: isoTime(row.created_at),
    rate: rate === null ? null : Math.round(rate * 100) / 100,
    secondsLeft: isMoving ? secondsLeft(row, rate) : null,
    bytes: SIZED.has(row.kind) ? { before: row.bytes_before, after: row.bytes_after } : null,
  };
}
