import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  selectOne,
  type Transaction,
} from '../shared/database.js';

/** An item claimed by a worker. */
export interface ClaimedItem {
  id: number;
  runId: number;
  kind: string;
  title: string;
  input: unknown;
  /** How many units it counts for. */
  weight: number;
  /** The number of attempts, including this one. */
  attempts: number;
  /** Proves that the item is still claimed: each claim writes a new token. */
  token: string;
}

interface ClaimableRow {
  id: number;
  run_id: number;
  title: string;
  input: string;
  weight: number;
  attempts: number;
}

/** Lists the runs of the given kinds that have items ready to process, urgent ones first, then the longest waiting. */
export async function listClaimableRuns(
  db: Executor,
  kinds: readonly string[],
): Promise<{ id: number; kind: string }[]> {
  return selectExpanded(
    db,
    `SELECT id, kind FROM runs
     WHERE state IN ('waiting', 'working') AND kind IN (?) AND (held_until IS NULL OR held_until <= NOW(3))
       AND EXISTS (
         SELECT 1 FROM run_items
         WHERE run_items.run_id = runs.id AND run_items.state = 'waiting' AND run_items.not_before <= NOW(3)
       )
     ORDER BY is_urgent DESC, claimed_at, id
     LIMIT 20`,
    [kinds],
  );
}

/**
 * Pauses a run because something it depends on is faulty, and records why. Each pause is longer than the last, up to
 * a minute.
 */
export async function holdRun(tx: Transaction, runId: number, reason: string, baseMs: number): Promise<void> {
  await change(
    tx,
    `UPDATE runs
     SET held_reason = ?, updated_at = NOW(3),
         held_until = NOW(3) + INTERVAL ROUND(1000 * LEAST(60000, ? * POW(2, LEAST(held_times, 10)))) MICROSECOND,
         held_times = held_times + 1
     WHERE id = ? AND (held_until IS NULL OR held_until <= NOW(3))`,
    [reason.slice(0, MAX_SENTENCE), baseMs, runId],
  );
}

/** Resumes a paused run, because its work succeeds again or a user asked for it. */
export async function releaseRun(tx: Transaction, runId: number | string): Promise<void> {
  await change(
    tx,
    'UPDATE runs SET held_reason = NULL, held_until = NULL, held_times = 0 WHERE id = ? AND held_times > 0',
    [runId],
  );
}

/** The maximum length of a stored item or run message. */
const MAX_SENTENCE = 2000;

/**
 * Claims up to `limit` items of a run. No other worker gets them until the lease expires. Empty when there are none
 * or the run was stopped.
 */
export async function claimItems(
  tx: Transaction,
  run: { id: number; kind: string },
  claim: { limit: number; token: string; worker: string; leaseMs: number },
): Promise<ClaimedItem[]> {
  const rows = await select<ClaimableRow>(
    tx,
    `SELECT id, run_id, title, input, weight, attempts
     FROM run_items
     WHERE run_id = ? AND state = 'waiting' AND not_before <= NOW(3)
     ORDER BY id
     LIMIT ?
     FOR UPDATE SKIP LOCKED`,
    [run.id, claim.limit],
  );
  if (rows.length === 0) return [];
  const { affectedRows } = await change(
    tx,
    `UPDATE runs
     SET state = 'working', started_at = COALESCE(started_at, NOW(3)), claimed_at = NOW(3), updated_at = NOW(3),
         sample_at = COALESCE(sample_at, NOW(3))
     WHERE id = ? AND state IN ('waiting', 'working')`,
    [run.id],
  );
  // Stopped between the two statements: the items stay as they are.
  if (affectedRows === 0) return [];
  await changeExpanded(
    tx,
    `UPDATE run_items
     SET state = 'working', token = ?, worker = ?, lease_until = NOW(3) + INTERVAL ? MICROSECOND, attempts = attempts + 1,
         started_at = NOW(3), finished_at = NULL
     WHERE id IN (?)`,
    [claim.token, claim.worker, claim.leaseMs * 1000, rows.map(({ id }) => id)],
  );
  return rows.map((row) => ({
    id: row.id,
    runId: row.run_id,
    kind: run.kind,
    title: row.title,
    input: JSON.parse(row.input),
    weight: row.weight,
    attempts: row.attempts + 1,
    token: claim.token,
  }));
}

/** Renews leases. @returns the ids that are still claimed, and whether their run is being stopped */
export async function renewLeases(
  db: Executor,
  held: readonly { id: number; token: string }[],
  leaseMs: number,
): Promise<Map<number, { isStopping: boolean }>> {
  if (held.length === 0) return new Map();
  const pairs = held.map(({ id, token }) => [id, token]);
  await changeExpanded(
    db,
    "UPDATE run_items SET lease_until = NOW(3) + INTERVAL ? MICROSECOND WHERE (id, token) IN (?) AND state = 'working'",
    [leaseMs * 1000, pairs],
  );
  const rows = await selectExpanded<{ id: number; state: string }>(
    db,
    `SELECT run_items.id, runs.state
     FROM run_items
     JOIN runs ON runs.id = run_items.run_id
     WHERE (run_items.id, run_items.token) IN (?) AND run_items.state = 'working'`,
    [pairs],
  );
  return new Map(rows.map(({ id, state }) => [id, { isStopping: state === 'stopping' }]));
}

/** Ends a claimed item. @returns false when it was lost to another worker, in which case nothing was written */
export async function endItem(
  tx: Transaction,
  item: ClaimedItem,
  end: {
    state: 'done' | 'skipped' | 'failed';
    note: string | null;
    error: string | null;
    /** The failure group: the same for all items that failed for the same reason. */
    reason: string | null;
  },
): Promise<boolean> {
  const { affectedRows } = await change(
    tx,
    `UPDATE run_items
     SET state = ?, note = ?, error = ?, reason = ?, token = NULL, lease_until = NULL, finished_at = NOW(3)
     WHERE id = ? AND token = ? AND state = 'working'`,
    [
      end.state,
      end.note?.slice(0, MAX_SENTENCE) ?? null,
      end.error?.slice(0, MAX_SENTENCE) ?? null,
      end.reason?.slice(0, 160) ?? null,
      item.id,
      item.token,
    ],
  );
  return affectedRows === 1;
}

/** Updates the outcome of an ended item, and adds its bytes to those of its run. */
export async function updateItemEnd(
  tx: Transaction,
  { id, runId }: ClaimedItem,
  { note, bytes }: { note?: string | undefined; bytes?: { before: number; after: number } | undefined },
): Promise<void> {
  if (note !== undefined)
    await change(tx, 'UPDATE run_items SET note = ? WHERE id = ?', [note.slice(0, MAX_SENTENCE), id]);
  if (!bytes) return;
  await change(tx, 'UPDATE run_items SET bytes_before = ?, bytes_after = ? WHERE id = ?', [
    bytes.before,
    bytes.after,
    id,
  ]);
  await change(
    tx,
    'UPDATE runs SET bytes_before = bytes_before + ?, bytes_after = bytes_after + ? WHERE id = ?',
    [bytes.before, bytes.after, runId],
  );
}

/**
 * Returns an item to the queue for at least `delayMs`. An interrupted attempt does not count.
 *
 * @returns false when it was lost
 */
export async function returnItem(
  tx: Transaction,
  item: ClaimedItem,
  back: { delayMs: number; error: string | null; countsAttempt: boolean },
): Promise<boolean> {
  const { affectedRows } = await change(
    tx,
    `UPDATE run_items
     SET state = 'waiting', token = NULL, lease_until = NULL, error = ?, not_before = NOW(3) + INTERVAL ? MICROSECOND, attempts = attempts - ?
     WHERE id = ? AND token = ? AND state = 'working'`,
    [
      back.error?.slice(0, MAX_SENTENCE) ?? null,
      back.delayMs * 1000,
      back.countsAttempt ? 0 : 1,
      item.id,
      item.token,
    ],
  );
  return affectedRows === 1;
}

/** Locks items whose lease has expired: their worker died or lost the database. */
export async function lockExpiredItems(tx: Transaction): Promise<ClaimedItem[]> {
  const rows = await select<ClaimableRow & { token: string }>(
    tx,
    `SELECT id, run_id, title, input, weight, attempts, token
     FROM run_items
     WHERE state = 'working' AND lease_until < NOW(3)
     ORDER BY id
     LIMIT 100
     FOR UPDATE SKIP LOCKED`,
  );
  if (rows.length === 0) return [];
  const runs = await selectExpanded<{ id: number; kind: string }>(
    tx,
    'SELECT id, kind FROM runs WHERE id IN (?)',
    [rows.map(({ run_id }) => run_id)],
  );
  const kinds = new Map(runs.map(({ id, kind }) => [id, kind]));
  return rows.map((row) => ({
    id: row.id,
    runId: row.run_id,
    kind: kinds.get(row.run_id) ?? '',
    title: row.title,
    input: JSON.parse(row.input),
    weight: row.weight,
    attempts: row.attempts,
    token: row.token,
  }));
}

/** The unit counts of an item by outcome; they add up to its weight. */
export interface EndCounts {
  done: number;
  skipped: number;
  failed: number;
}

/** Adds an ended item to its run's counters. */
export async function countEnd(tx: Transaction, runId: number, counts: EndCounts): Promise<void> {
  await change(
    tx,
    `UPDATE runs
     SET done = done + ?, skipped = skipped + ?, failed = failed + ?, updated_at = NOW(3),
         held_reason = NULL, held_until = NULL, held_times = 0
     WHERE id = ?`,
    [counts.done, counts.skipped, counts.failed, runId],
  );
}

export async function updateRateSample(
  tx: Transaction,
  runId: number,
  sample: { at: Date; ended: number; perSecond: number | null },
): Promise<void> {
  await change(tx, 'UPDATE runs SET sample_at = ?, sample_ended = ?, sample_rate = ? WHERE id = ?', [
    sample.at,
    sample.ended,
    sample.perSecond,
    runId,
  ]);
}

/** The database clock, by which all leases are measured. */
export async function databaseNow(db: Executor): Promise<Date> {
  const row = await selectOne<{ now: Date }>(db, 'SELECT NOW(3) AS now');
  if (row === null) throw new Error("Expected the database's time, got no row");
  return row.now;
}
