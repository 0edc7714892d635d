import type { ItemState, RunItem } from '@uniferum/core/runs';
import {
  change,
  changeExpanded,
  type Executor,
  isoTimeOrNull,
  type SqlValue,
  select,
  selectOne,
  type Transaction,
  writeJson,
} from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';
import { type RunRow, recountTotal } from './queries.js';

export interface NewItem {
  key: string;
  title: string;
  input: unknown;
  weight?: number;
}

/** Adds items to a locked run; items whose key exists already are ignored. @returns how many are new */
export async function insertItems(
  tx: Transaction,
  runId: string,
  items: readonly NewItem[],
): Promise<number> {
  if (items.length === 0) return 0;
  const rows = items.map(({ key, title, input, weight = 1 }) => [
    runId,
    storedKey(key),
    title.slice(0, 300),
    writeJson(input),
    weight,
  ]);
  const { affectedRows } = await changeExpanded(
    tx,
    'INSERT IGNORE INTO run_items (run_id, item_key, title, input, weight) VALUES ?',
    [rows],
  );
  if (affectedRows < rows.length) await recountTotal(tx, runId);
  else
    await change(
      tx,
      'UPDATE runs SET total = total + ?, items = items + ?, updated_at = NOW(3) WHERE id = ?',
      [rows.reduce((sum, [, , , , weight]) => sum + Number(weight), 0), rows.length, runId],
    );
  return affectedRows;
}

/** Keys of which the database tells any two apart. */
const PLAIN_KEY = /^[a-z0-9:._-]{1,120}$/;

/**
 * A key as it is stored. The column compares without regard to case and accents and is short, so a key that names a
 * folder, for one, is stored with its digest: cut off or compared like that, two folders could be one.
 */
function storedKey(key: string): string {
  return PLAIN_KEY.test(key) ? key : `${key.slice(0, 50).toWellFormed()}:${sha256Of(key)}`;
}

/**
 * Adds items to a run with one statement, one for each selected row; call {@link recountTotal} at the end.
 *
 * @param selection selects `item_key`, `title` and `input`, in this order; lists in its values are expanded
 */
export async function insertSelectedItems(
  tx: Transaction,
  runId: string,
  selection: { sql: string; values: readonly (SqlValue | readonly SqlValue[])[] },
): Promise<void> {
  await changeExpanded(
    tx,
    `INSERT INTO run_items (run_id, item_key, title, input)
     SELECT ?, selected.item_key, selected.title, selected.input FROM (${selection.sql}) AS selected`,
    [runId, ...selection.values],
  );
}

/** Requeues the failed items of a locked run, or only those that failed for a reason. @returns how many */
export async function requeueFailedItems(tx: Transaction, runId: string, reason?: string): Promise<number> {
  const failed = `run_id = ? AND state = 'failed' ${reason === undefined ? '' : 'AND reason = ?'}`;
  const values = reason === undefined ? [runId] : [runId, reason];
  const row = await selectOne<{ weight: number }>(
    tx,
    `SELECT COALESCE(SUM(weight), 0) AS weight FROM run_items WHERE ${failed}`,
    values,
  );
  const { affectedRows } = await change(
    tx,
    `UPDATE run_items
     SET state = 'waiting', attempts = 0, not_before = NOW(3), error = NULL, reason = NULL, finished_at = NULL
     WHERE ${failed}`,
    values,
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

/** Reads one page of a run's items in order, with one more than `limit`. */
export async function listItems(
  db: Executor,
  run: RunRow,
  { limit, after, state }: { limit: number; after: number; state: ItemState | undefined },
): Promise<RunItem[]> {
  // The waiting items of a stopped run count as stopped, so that stopping or resuming a million items changes one
  // row.
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

/** Counts a run's items in one state. */
export async function countItems(db: Executor, run: RunRow, state: ItemState | undefined): Promise<number> {
  if (state === undefined) return run.items;
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

/** Counts the items of a run whose keys begin with a text. */
export async function countItemsByKey(db: Executor, runId: string, prefix: string): Promise<number> {
  const row = await selectOne<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM run_items WHERE run_id = ? AND item_key LIKE ?',
    [runId, `${prefix.replace(/[\\%_]/g, '\\$&')}%`],
  );
  return row?.n ?? 0;
}
