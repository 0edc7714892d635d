import type { FailureGroup, ThroughputMinute, WorkerAnswer, WorkersAnswer } from '@uniferum/core/runs';
import { change, type Executor, isoTime, select, selectOne } from '../shared/database.js';

/** What a worker reports about itself. */
export interface WorkerFacts {
  id: string;
  host: string;
  pid: number;
  slots: number;
}

/** A worker that has not reported for this many seconds counts as gone. */
export const GONE_AFTER_S = 60;
const KEPT_HOURS = 24;

/** Records that a worker is alive. */
export async function heartbeat(db: Executor, { id, host, pid, slots }: WorkerFacts): Promise<void> {
  await change(
    db,
    'INSERT INTO workers (id, host, pid, slots) VALUES (?, ?, ?, ?) ON DUPLICATE KEY UPDATE seen_at = NOW(3)',
    [id, host, pid, slots],
  );
  await change(db, 'DELETE FROM workers WHERE seen_at < NOW(3) - INTERVAL 1 HOUR');
}

/** Records that a worker has shut down cleanly. */
export async function removeWorker(db: Executor, worker: string): Promise<void> {
  await change(db, 'DELETE FROM workers WHERE id = ?', [worker]);
}

/** Tells whether any worker was alive within the last `seconds`. */
export async function hasLivingWorker(db: Executor, seconds: number): Promise<boolean> {
  return (
    (await selectOne(db, 'SELECT id FROM workers WHERE seen_at > NOW(3) - INTERVAL ? SECOND LIMIT 1', [
      seconds,
    ])) !== null
  );
}

/** The number of items that all live workers process at a time; 1 when there is none, because one will be started. */
export async function countSlots(db: Executor): Promise<number> {
  const row = await selectOne<{ slots: number | null }>(
    db,
    'SELECT SUM(slots) AS slots FROM workers WHERE seen_at > NOW(3) - INTERVAL ? SECOND',
    [GONE_AFTER_S],
  );
  return Math.max(1, Number(row?.slots ?? 1));
}

/** Adds a worker's results to the current minute, and deletes minutes older than a day. */
export async function addToMinute(
  db: Executor,
  worker: string,
  did: { done: number; failed: number; busyMs: number },
): Promise<void> {
  await change(
    db,
    `INSERT INTO worker_minutes (minute, worker, done, failed, busy_ms)
     VALUES (DATE_FORMAT(NOW(), '%Y-%m-%d %H:%i:00'), ?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE done = done + VALUES(done), failed = failed + VALUES(failed), busy_ms = busy_ms + VALUES(busy_ms)`,
    [worker, did.done, did.failed, Math.round(did.busyMs)],
  );
  await change(db, 'DELETE FROM worker_minutes WHERE minute < NOW() - INTERVAL ? HOUR', [KEPT_HOURS]);
}

/** Reads the workers and their activity. `minutes` sets how far back the throughput goes. */
export async function readWorkers(db: Executor, minutes: number): Promise<WorkersAnswer> {
  const [workers, hour, items, throughput, queue] = await Promise.all([
    select<WorkerFacts & { started_at: Date; seen_at: Date; is_alive: number }>(
      db,
      `SELECT id, host, pid, slots, started_at, seen_at, seen_at > NOW(3) - INTERVAL ? SECOND AS is_alive
       FROM workers ORDER BY host, started_at, id LIMIT 200`,
      [GONE_AFTER_S],
    ),
    select<{ worker: string; done: number; failed: number; busy_ms: number }>(
      db,
      `SELECT worker, SUM(done) AS done, SUM(failed) AS failed, SUM(busy_ms) AS busy_ms
       FROM worker_minutes WHERE minute > NOW() - INTERVAL 1 HOUR GROUP BY worker ORDER BY worker LIMIT 500`,
    ),
    select<{ worker: string; run_id: number; kind: string; title: string; started_at: Date }>(
      db,
      `SELECT run_items.worker, run_items.run_id, runs.kind, run_items.title, run_items.started_at
       FROM run_items JOIN runs ON runs.id = run_items.run_id
       WHERE run_items.state = 'working' ORDER BY run_items.started_at LIMIT 200`,
    ),
    select<{ minute: Date; done: number; failed: number }>(
      db,
      `SELECT minute, SUM(done) AS done, SUM(failed) AS failed
       FROM worker_minutes WHERE minute > NOW() - INTERVAL ? MINUTE GROUP BY minute ORDER BY minute LIMIT 1500`,
      [minutes],
    ),
    select<{ kind: string; waiting: number; working: number }>(
      db,
      `SELECT runs.kind, SUM(run_items.state = 'waiting') AS waiting, SUM(run_items.state = 'working') AS working
       FROM runs JOIN run_items ON run_items.run_id = runs.id
       WHERE runs.state IN ('waiting', 'working', 'stopping') AND run_items.state IN ('waiting', 'working')
       GROUP BY runs.kind ORDER BY waiting DESC LIMIT 50`,
    ),
  ]);
  const now = Date.now();
  return {
    workers: workers.map((worker): WorkerAnswer => {
      const did = hour.find((one) => one.worker === worker.id);
      const aliveMs = Math.min(3_600_000, Math.max(1, now - worker.started_at.getTime()));
      return {
        id: worker.id,
        host: worker.host,
        pid: worker.pid,
        slots: worker.slots,
        startedAt: isoTime(worker.started_at),
        seenAt: isoTime(worker.seen_at),
        isAlive: Boolean(worker.is_alive),
        items: items
          .filter((item) => item.worker === worker.id)
          .map(({ run_id, title, kind, started_at }) => ({
            run: String(run_id),
            title,
            kind,
            since: isoTime(started_at),
          })),
        done: Number(did?.done ?? 0),
        failed: Number(did?.failed ?? 0),
        busy: Math.min(1, Number(did?.busy_ms ?? 0) / (aliveMs * worker.slots)),
      };
    }),
    throughput: throughput.map(
      ({ minute, done, failed }): ThroughputMinute => ({
        at: isoTime(minute),
        done: Number(done),
        failed: Number(failed),
      }),
    ),
    queue: queue.map(({ kind, waiting, working }) => ({
      kind,
      waiting: Number(waiting),
      working: Number(working),
    })),
  };
}

/** Groups failed items by reason, largest group first. */
export async function listFailures(db: Executor): Promise<FailureGroup[]> {
  const rows = await select<{ reason: string; kind: string; count: number; example: string; last_at: Date }>(
    db,
    `SELECT run_items.reason, runs.kind, COUNT(*) AS count, MAX(run_items.error) AS example, MAX(run_items.finished_at) AS last_at
     FROM run_items JOIN runs ON runs.id = run_items.run_id
     WHERE run_items.state = 'failed' AND run_items.reason IS NOT NULL
     GROUP BY run_items.reason, runs.kind
     ORDER BY count DESC, last_at DESC
     LIMIT 200`,
  );
  return rows.map(({ reason, kind, count, example, last_at }) => ({
    reason,
    kind,
    count: Number(count),
    example,
    lastAt: isoTime(last_at),
  }));
}

/** Lists the runs in which items failed for a reason. */
export async function listRunsOfFailure(
  db: Executor,
  { reason, kind }: { reason: string; kind: string },
): Promise<string[]> {
  const rows = await select<{ run_id: number }>(
    db,
    `SELECT DISTINCT run_items.run_id
     FROM run_items JOIN runs ON runs.id = run_items.run_id
     WHERE run_items.state = 'failed' AND run_items.reason = ? AND runs.kind = ?
     ORDER BY run_items.run_id LIMIT 10000`,
    [reason, kind],
  );
  return rows.map(({ run_id }) => String(run_id));
}
