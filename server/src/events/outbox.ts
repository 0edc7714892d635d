import type { HistoryEvent } from '@uniferum/core/library';
import {
  change,
  changeExpanded,
  type Database,
  type Executor,
  inTransaction,
  isoTime,
  type SqlValue,
  select,
  selectOne,
  writeJson,
} from '../shared/database.js';
import type { EventType } from './event-type.js';

export interface NewEvent {
  event: EventType;
  asset?: string;
  by: string;
  data: Record<string, unknown>;
}

interface EventRow {
  id: number;
  type: string;
  actor: string;
  data: string;
  at: Date;
}

/** Writes an event to the outbox. Call it in the transaction of the change it reports. */
export async function recordEvent(tx: Executor, { event, asset, by, data }: NewEvent): Promise<void> {
  await change(tx, 'INSERT INTO events (type, asset_id, actor, data) VALUES (?, ?, ?, ?)', [
    event.type,
    asset ?? null,
    by,
    writeJson(data),
  ]);
}

/** Writes several events in one statement. */
export async function recordEvents(tx: Executor, events: readonly NewEvent[]): Promise<void> {
  if (events.length === 0) return;
  await changeExpanded(tx, 'INSERT INTO events (type, asset_id, actor, data) VALUES ?', [
    events.map(({ event, asset, by, data }) => [event.type, asset ?? null, by, writeJson(data)]),
  ]);
}

/** An event with its number in commit order. */
export interface SequencedEvent extends Omit<HistoryEvent, 'id'> {
  seq: number;
}

const SEQUENCED_AT_A_TIME = 2000;

/**
 * Numbers the events committed since the last call. An event gets its id before its transaction commits, so a lower
 * id can become visible after a higher one. Numbers are assigned only to visible events, so a reader that follows
 * them misses nothing.
 *
 * @returns the number of the newest event; 0 when there is none
 */
export async function sequenceEvents(db: Database): Promise<number> {
  for (;;) {
    const [waiting] = await listUnsequenced(db, 1);
    if (waiting === undefined) return newestSequence(db);
    const count = await inTransaction(db, async (tx) => {
      await change(tx, "UPDATE settings SET updated_at = NOW(3) WHERE name = 'events'");
      const newest = await newestSequence(tx);
      const ids = await listUnsequenced(tx, SEQUENCED_AT_A_TIME);
      if (ids.length === 0) return 0;
      await tx.query('SET @newest := ?', [newest]);
      // Selected by key: a table scan would wait for events that are still being written.
      await changeExpanded(
        tx,
        'UPDATE events FORCE INDEX (PRIMARY) SET seq = (@newest := @newest + 1) WHERE id IN (?) ORDER BY id',
        [ids],
      );
      return ids.length;
    });
    if (count < SEQUENCED_AT_A_TIME) return newestSequence(db);
  }
}

async function listUnsequenced(db: Executor, limit: number): Promise<number[]> {
  const rows = await select<{ id: number }>(
    db,
    'SELECT id FROM events WHERE seq IS NULL ORDER BY id LIMIT ?',
    [limit],
  );
  return rows.map(({ id }) => id);
}

async function newestSequence(db: Executor): Promise<number> {
  return (await selectOne<{ seq: number | null }>(db, 'SELECT MAX(seq) AS seq FROM events'))?.seq ?? 0;
}

/** Reads the events after a number, in order. */
export async function readEventsAfter(db: Executor, seq: number, limit: number): Promise<SequencedEvent[]> {
  const rows = await select<EventRow & { seq: number }>(
    db,
    'SELECT id, seq, type, actor, data, at FROM events WHERE seq > ? ORDER BY seq LIMIT ?',
    [seq, limit],
  );
  return rows.map((row) => {
    const { type, at, by, data } = rowToEvent(row);
    return { seq: row.seq, type, at, by, data };
  });
}

/** Reads one page of an asset's history, newest first, with one row more than `limit`. */
export async function readAssetEvents(
  db: Executor,
  asset: string,
  { limit, before }: { limit: number; before: number | null },
): Promise<HistoryEvent[]> {
  const values: SqlValue[] = before === null ? [asset, limit + 1] : [asset, before, limit + 1];
  const rows = await select<EventRow>(
    db,
    `SELECT id, type, actor, data, at
     FROM events
     WHERE asset_id = ? ${before === null ? '' : 'AND id < ?'}
     ORDER BY id DESC
     LIMIT ?`,
    values,
  );
  return rows.map(rowToEvent);
}

/** Counts the events of one asset. */
export async function countAssetEvents(db: Executor, asset: string): Promise<number> {
  return (
    (await selectOne<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM events WHERE asset_id = ?', [asset]))?.n ??
    0
  );
}

function rowToEvent(row: EventRow): HistoryEvent {
  return {
    id: String(row.id),
    type: row.type,
    at: isoTime(row.at),
    by: row.actor,
    data: JSON.parse(row.data),
  };
}
