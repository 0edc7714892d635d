import { commonFolder } from '@uniferum/core/runs';
import { connectionChanged } from '../connections/events.js';
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
import { beginPlacing, beginPlacingPrivate } from './begin-copies.js';
import { findCopiesOf } from './copy-queries.js';
import { lockCursor, updateCursor } from './cursor-queries.js';
import { storeChanged } from './events.js';
import { placeCopiesRun } from './place.js';
import { listPlacements, type StoredPlacement } from './placement-queries.js';
import { nearestOf } from './placements.js';
import { rememberBases } from './store-addresses.js';
import { listStores } from './store-queries.js';

const EVENTS_AT_A_TIME = 500;
const ABOUT_ASSETS = new Set(
  [assetCreated, assetChanged, assetReplaced, assetRestored, renditionsChanged].map(({ type }) => type),
);

/** After these, anybody may be able to read a store. */
const ABOUT_STORES = new Set([storeChanged, connectionChanged].map(({ type }) => type));

/**
 * Queues the copies of what has arrived or changed since the last call, where a placement asks for copies. The queue and
 * the position in the events are written together, so that nothing is missed or queued twice.
 *
 * @returns how many assets were queued
 */
export async function followLibrary(db: Database): Promise<number> {
  let queued = 0;
  for (;;) {
    // Copies are made for placements or by hand, and only in stores.
    if ((await listStores(db)).length === 0) return queued;
    const placements = await listPlacements(db);
    await sequenceEvents(db);
    const { assets, events } = await inTransaction(db, (tx) => followSome(tx, placements));
    queued += assets;
    if (events < EVENTS_AT_A_TIME) return queued;
  }
}

/** Follows only what happens from now on. Call it before the first store is recorded. */
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
  for (const path of changedFolders(events)) await beginPlacing(tx, path, 'Uniferum');
  if (events.some(({ type }) => ABOUT_STORES.has(type))) {
    await beginPlacingPrivate(tx, 'Uniferum');
    await followAddresses(tx, placements);
  }
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
  const copied = new Set((await findCopiesOf(tx, [...new Set(named)])).map(({ asset_id }) => asset_id));
  return rows.filter(
    ({ id, folder_path }) => copied.has(id) || (nearestOf(placements, folder_path)?.stores.length ?? 0) > 0,
  );
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

/** Pages follow a store to another base address. */
async function followAddresses(tx: Transaction, placements: readonly StoredPlacement[]): Promise<void> {
  const led = placements.filter(({ rewritePages }) => rewritePages);
  if (led.length === 0) return;
  const changed = await rememberBases(tx);
  for (const { path, serveFrom } of led)
    if (serveFrom !== null && changed.has(serveFrom)) await beginPlacing(tx, path, 'Uniferum');
}

/** Folders that were moved, or whose files became private or public. Their placement is recorded with a run already. */
function changedFolders(events: readonly SequencedEvent[]): string[] {
  const paths = events
    .filter(({ type }) => type === folderChanged.type)
    .map(({ data }) => data as { path?: string; from?: string; access?: object })
    .filter(({ path, from, access }) => (from !== undefined && path !== from) || access !== undefined)
    .flatMap(({ path }) => path ?? []);
  return [...new Set(paths)];
}
