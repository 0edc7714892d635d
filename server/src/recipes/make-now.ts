import { type AssetRow, findAssets } from '../library/asset-queries.js';
import { inTransaction } from '../shared/database.js';
import { SharedWork } from '../shared/shared-work.js';
import { isAtOnce, orderSoon } from './bookkeeping.js';
import type { RenderPool } from './engine/pool.js';
import { makeRenditions } from './make.js';
import { findRenditions } from './queries.js';
import { listRecipes } from './recipe-queries.js';
import type { RenderTools } from './tools.js';
import type { Waiting } from './waiting.js';

/** How long a viewer waits for a rendition. A worker makes it in any case. */
const WAIT_MS = 8000;
/** An asset viewed again within this time is not queued again. */
const SOON_EVERY_MS = 60_000;
const MAX_REMEMBERED = 10_000;

/** Renditions being made for a viewer, so that concurrent requests share the work. */
const inFlight = new SharedWork<void>();
const orderedAt = new Map<number, number>();

/** Makes renditions of an asset for a viewer. What cannot be made in time, or exceeds the limits, stays due. */
export async function makeNow(
  tools: RenderTools,
  asset: Pick<AssetRow, 'id'>,
  recipes: readonly string[],
  { pool, source, signal }: Pick<Waiting, 'pool' | 'source'> & { signal?: AbortSignal },
): Promise<void> {
  const queue = pool === tools.rendering.pool ? 'known' : source;
  const key = `${queue} ${asset.id} ${[...recipes].sort().join(' ')}`;
  try {
    await inFlight.wait(key, signal, (allGone) =>
      make(tools, String(asset.id), recipes, { pool, source, allGone }),
    );
  } catch (error) {
    // Nothing is lost: it stays due, and a worker makes it and records any error.
    if (!signal?.aborted)
      tools.log.warn({ err: error, asset: asset.id }, 'renditions could not be made for somebody who waits');
  }
}

async function make(
  { db, store, config }: RenderTools,
  id: string,
  recipes: readonly string[],
  { pool, source, allGone }: { pool: RenderPool; source: string; allGone: AbortSignal },
): Promise<void> {
  const signal = AbortSignal.any([AbortSignal.timeout(WAIT_MS), allGone]);
  const context = { db, store, pool, maxPixels: config.maxPixels };
  const result = await makeRenditions(context, id, { recipes }, { signal, source });
  try {
    await result.persist?.();
    await inTransaction(db, async (tx) => {
      await result.record?.(tx);
    });
  } finally {
    await result.release?.();
  }
}

/** Makes the renditions of new assets immediately, before the answer is sent. */
export async function makeAtOnce(tools: RenderTools, assetIds: readonly string[]): Promise<void> {
  const names = (await listRecipes(tools.db)).filter(isAtOnce).map(({ name }) => name);
  if (names.length === 0 || assetIds.length === 0) return;
  const rows = (await findRenditions(tools.db, assetIds)).filter(
    ({ recipe, state }) => state === 'due' && names.includes(recipe),
  );
  const wanted = new Map<number, string[]>();
  for (const { asset_id, recipe } of rows) wanted.set(asset_id, [...(wanted.get(asset_id) ?? []), recipe]);
  const assets = await findAssets(tools.db, [...wanted.keys()]);
  const waiting = { pool: tools.rendering.pool, source: 'uploads' };
  await Promise.all(assets.map((asset) => makeNow(tools, asset, wanted.get(asset.id) ?? [], waiting)));
}

/** Queues what somebody is viewing with priority, without waiting for it. */
export function makeSoon(
  tools: RenderTools,
  asset: Pick<AssetRow, 'id' | 'name' | 'folder_path' | 'revision'>,
): void {
  const now = Date.now();
  if (now - (orderedAt.get(asset.id) ?? 0) < SOON_EVERY_MS) return;
  if (orderedAt.size >= MAX_REMEMBERED) orderedAt.clear();
  orderedAt.set(asset.id, now);
  inTransaction(tools.db, (tx) =>
    orderSoon(tx, {
      id: String(asset.id),
      name: asset.name,
      folder: asset.folder_path,
      revision: asset.revision,
    }),
  ).catch((error) => tools.log.warn({ err: error, asset: asset.id }, 'a rendition could not be ordered'));
}
