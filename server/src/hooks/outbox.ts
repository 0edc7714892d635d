import type { HistoryEvent } from '@uniferum/core';
import {
  change,
  changeExpanded,
  type Executor,
  isoTime,
  type SqlValue,
  select,
  selectOne,
} from '../shared/database.js';

/** The types of events; public, and never reused. */
export const EVENT_TYPES = [
  'asset.created',
  'asset.changed',
  'asset.deleted',
  'asset.restored',
  'asset.renditions',
  'asset.replaced',
  'asset.purged',
  'folder.created',
  'folder.changed',
  'folder.deleted',
  'rules.changed',
  'settings.changed',
  'inbox.changed',
  'recipe.changed',
  'recipe.deleted',
  'run.created',
  'run.changed',
  'run.ended',
] as const;

export type EventType = (typeof EVENT_TYPES)[number];

export interface NewEvent {
  type: EventType;
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

/** Writes an event into the outbox; call it in the transaction of the change that it tells. */
export async function recordEvent(tx: Executor, event: NewEvent): Promise<void> {
  await change(tx, 'INSERT INTO events (type, asset_id, actor, data) VALUES (?, ?, ?, ?)', [
    event.type,
    event.asset ?? null,
    event.by,
    JSON.stringify(event.data),
  ]);
}

/** Writes several events in one statement. */
export async function recordEvents(tx: Executor, events: readonly NewEvent[]): Promise<void> {
  if (events.length === 0) return;
  await changeExpanded(tx, 'INSERT INTO events (type, asset_id, actor, data) VALUES ?', [
    events.map(({ type, asset, by, data }) => [type, asset ?? null, by, JSON.stringify(data)]),
  ]);
}

/** Reads up to 500 events after an id, oldest first. */
export async function readEventsAfter(db: Executor, id: number): Promise<HistoryEvent[]> {
  const rows = await select<EventRow>(
    db,
    'SELECT id, type, actor, data, at FROM events WHERE id > ? ORDER BY id LIMIT 500',
    [id],
  );
  return rows.map(rowToEvent);
}

/** The id of the newest event; 0 when there is none. */
export async function newestEventId(db: Executor): Promise<number> {
  return (await selectOne<{ id: number }>(db, 'SELECT id FROM events ORDER BY id DESC LIMIT 1'))?.id ?? 0;
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
