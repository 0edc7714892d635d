import { commonFolder } from '@uniferum/core/runs';
import { readEventsAfter, type SequencedEvent, sequenceEvents } from '../events/outbox.js';
import { type AssetRow, findAssets } from '../library/asset-queries.js';
import {
  assetChanged,
  assetCreated,
  assetReplaced,
  assetRestored,
  folderChanged,
} from '../library/events.js';
import { renditionsChanged } from '../recipes/events.js';
import { addToOpenRun } from '../runs/ledger.js';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import { beginPlacing } from './begin-copies.js';
import { lockCursor, updateCursor } from './cursor-queries.js';
import { placeCopiesRun } from './place.js';
import { listPlacements, type StoredPlacement } from './placement-queries.js';
import { nearestOf } from './placements.js';

const EVENTS_AT_A_TIME = 500;
const ABOUT_ASSETS = new Set(
  [assetCreated, assetChanged, assetReplaced, assetRestored, renditionsChanged].map(({ type }) => type),
);

/**
 * Queues the copies of what has arrived or changed since the last call, where a placement asks for copies. The queue and
 * the position in the events are written together, so that nothing is missed or queued twice.
 *
 * @returns how many assets were queued
 */
export async function followLibrary(db: Database): Promise<number> {
  let queued = 0;
  for (;;) {
    const placements = await listPlacements(db);
    if (placements.length === 0) return queued;
    await sequenceEvents(db);
    const { assets, events } = await inTransaction(db, (tx) => followSome(tx, placements));
    queued += assets;
    if (events < EVENTS_AT_A_TIME) return queued;
  }
}

/** Follows only what happens from now on. Call it before the first placement is recorded. */
export async function skipToNewest(db: Database): Promise<void> {
  const newest = await sequenceEvents(db);
  await inTransaction(db, async (tx) => {
    if ((await lockCursor(tx)) < newest) await updateCursor(tx, newest);
  });
}

async function followSome(
  tx: Transaction,
  placements: readonly StoredPlacement[],
): Promise<{ assets: number; events: number }> {
  const from = await lockCursor(tx);
  const events = await readEventsAfter(tx, from, EVENTS_AT_A_TIME);
  const last = events.at(-1);
  if (!last) return { assets: 0, events: 0 };
  const assets = await placedAssets(tx, placements, events);
  await queue(tx, assets, from);
  for (const path of movedFolders(events, placements)) await beginPlacing(tx, path, 'Uniferum');
  await updateCursor(tx, last.seq);
  return { assets: assets.length, events: events.length };
}

async function placedAssets(
  tx: Transaction,
  placements: readonly StoredPlacement[],
  events: readonly SequencedEvent[],
): Promise<AssetRow[]> {
  const named = events
    .filter(({ type }) => ABOUT_ASSETS.has(type))
    .map(({ data }) => Number((data as { id?: string }).id));
  const rows = await findAssets(tx, [...new Set(named)]);
  return rows.filter(({ folder_path }) => (nearestOf(placements, folder_path)?.stores.length ?? 0) > 0);
}

async function queue(tx: Transaction, assets: readonly AssetRow[], seq: number): Promise<void> {
  if (assets.length === 0) return;
  await addToOpenRun(
    tx,
    placeCopiesRun,
    {
      title: 'Copies',
      folder: assets.map(({ folder_path }) => folder_path).reduce(commonFolder),
      by: 'Uniferum',
    },
    assets.map(({ id, name }) => ({
      key: `events:${seq}:${id}`,
      title: name,
      input: { asset: String(id) },
    })),
  );
}

/** Folders that were moved, and where copies are wanted now. */
function movedFolders(events: readonly SequencedEvent[], placements: readonly StoredPlacement[]): string[] {
  const paths = events
    .filter(({ type }) => type === folderChanged.type)
    .map(({ data }) => data as { path?: string; from?: string })
    .filter(({ path, from }) => path !== undefined && from !== undefined && path !== from)
    .map(({ path }) => path as string);
  return [...new Set(paths)].filter((path) => (nearestOf(placements, path)?.stores.length ?? 0) > 0);
}
