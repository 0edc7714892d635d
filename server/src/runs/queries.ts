import { currentRate, type Run, type RunState, runTitle, secondsLeft } from '@uniferum/core/runs';
import {
  change,
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
  folder: string | null;
  state: RunState;
  total: number;
  done: number;
  failed: number;
  skipped: number;
  undo_of: number | null;
  counts_bytes: number;
  can_undo: number;
  items: number;
  sample_at: Date | null;
  sample_ended: number;
  sample_rate: number | null;
  bytes_before: number;
  bytes_after: number;
  held_reason: string | null;
  created_at: Date;
  started_at: Date | null;
  finished_at: Date | null;
  updated_at: Date;
}

const RUN_COLUMNS =
  'id, kind, title, folder, state, total, done, failed, skipped, undo_of, counts_bytes, can_undo, items, sample_at, sample_ended, sample_rate, bytes_before, bytes_after, held_reason, created_at, started_at, finished_at, updated_at';

export async function findRun(db: Executor, id: string, { lock = false } = {}): Promise<RunRow | null> {
  return selectOne<RunRow>(db, `SELECT ${RUN_COLUMNS} FROM runs WHERE id = ? ${lock ? 'FOR UPDATE' : ''}`, [
    id,
  ]);
}

/** Finds a run of a kind that is active or queued; null when there is none. */
export async function findActiveRun(
  db: Executor,
  kind: string,
  title: string | null = null,
): Promise<RunRow | null> {
  return selectOne<RunRow>(
    db,
    `SELECT ${RUN_COLUMNS} FROM runs
     WHERE kind = ? AND state IN ('waiting', 'working', 'stopping', 'stopped') ${title === null ? '' : 'AND title = ?'}
     ORDER BY id ${title === null ? '' : 'DESC'} LIMIT 1`,
    title === null ? [kind] : [kind, title],
  );
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

/** Lists the runs changed since a time on the database clock, with the current time. */
export async function listRunsChangedSince(db: Executor, since: Date): Promise<RunRow[]> {
  return select<RunRow>(
    db,
    `SELECT ${RUN_COLUMNS} FROM runs WHERE updated_at > ? ORDER BY updated_at LIMIT 200`,
    [since],
  );
}

export interface NewRun {
  kind: string;
  countsBytes: boolean;
  canUndo: boolean;
  title: string;
  /** The folder that contains all of its files; the title then gives their number and this folder. */
  folder?: string;
  by: string;
  /** An open run accepts more items while it is active. */
  isOpen?: boolean;
  isUrgent?: boolean;
  /** The run whose changes it undoes. */
  undoOf?: string;
}

export async function insertRun(
  tx: Transaction,
  { kind, countsBytes, canUndo, title, folder, by, isOpen = false, isUrgent = false, undoOf }: NewRun,
): Promise<string> {
  return String(
    (
      await change(
        tx,
        'INSERT INTO runs (kind, counts_bytes, can_undo, title, folder, made_by, is_open, is_urgent, undo_of) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)',
        [
          kind,
          countsBytes,
          canUndo,
          title.slice(0, 200),
          folder ?? null,
          by.slice(0, 120),
          isOpen,
          isUrgent,
          undoOf ?? null,
        ],
      )
    ).insertId,
  );
}

/** Finds and locks the active open run of a kind; null when there is none. */
export async function lockOpenRun(
  tx: Transaction,
  kind: string,
): Promise<{ id: string; folder: string | null } | null> {
  const isOpen = "is_open = 1 AND state IN ('waiting', 'working')";
  // Searched without a lock first: a locking search would wait for every row locked by others.
  const found = await selectOne<{ id: number }>(
    tx,
    `SELECT id FROM runs WHERE kind = ? AND ${isOpen} ORDER BY id DESC LIMIT 1`,
    [kind],
  );
  if (found === null) return null;
  const held = await selectOne<{ id: number; folder: string | null }>(
    tx,
    `SELECT id, folder FROM runs WHERE id = ? AND ${isOpen} FOR UPDATE`,
    [found.id],
  );
  return held && { id: String(held.id), folder: held.folder };
}

/** Records the folder that contains all files of a run. */
export async function updateRunFolder(tx: Transaction, id: string, folder: string): Promise<void> {
  await change(tx, 'UPDATE runs SET folder = ? WHERE id = ?', [folder, id]);
}

/** Sets a run's total from its items, after they were written by one statement. */
export async function recountTotal(tx: Transaction, runId: string): Promise<number> {
  await change(
    tx,
    `UPDATE runs JOIN (SELECT COALESCE(SUM(weight), 0) AS total, COUNT(*) AS items FROM run_items WHERE run_id = ?) counted
     SET runs.total = counted.total, runs.items = counted.items, runs.updated_at = NOW(3) WHERE runs.id = ?`,
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

/** Counts a run's claimed items. */
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

/** Converts a row to an answer. */
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
    title: runTitle(row),
    state: row.state,
    total: row.total,
    done: row.done,
    failed: row.failed,
    skipped: row.skipped,
    canUndo: row.can_undo === 1 && !isMoving && row.done > 0,
    undoOf: row.undo_of === null ? null : String(row.undo_of),
    startedAt: isoTimeOrNull(row.started_at),
    finishedAt: isoTimeOrNull(row.finished_at),
    createdAt: isoTime(row.created_at),
    rate: rate === null ? null : Math.round(rate * 100) / 100,
    secondsLeft: isMoving ? secondsLeft(row, rate) : null,
    heldReason: isMoving || row.state === 'waiting' ? row.held_reason : null,
    bytes: row.counts_bytes === 1 ? { before: row.bytes_before, after: row.bytes_after } : null,
  };
}
