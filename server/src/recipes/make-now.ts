import type { App } from '../app.js';
import { type AssetRow, findAssets } from '../library/asset-queries.js';
import { inTransaction } from '../shared/database.js';
import { isAtOnce, orderSoon } from './bookkeeping.js';
import { makeRenditions } from './make.js';
import { findRenditions } from './queries.js';
import { listRecipes } from './recipe-queries.js';

/** How long somebody who wants to see a rendition at once is kept waiting. A worker makes it anyway. */
const WAIT_MS = 8000;
/** An asset that is looked at again within so long is not ordered again. */
const SOON_EVERY_MS = 60_000;
const MAX_REMEMBERED = 10_000;

/** What is being made for somebody who waits, so that two of them wait for one. */
const underway = new Map<string, Promise<void>>();
const orderedAt = new Map<number, number>();

/** Makes renditions of an asset in the server's own rendering processes, for somebody who waits. */
export function makeNow(app: App, asset: Pick<AssetRow, 'id'>, recipes: readonly string[]): Promise<void> {
  const key = `${asset.id} ${[...recipes].sort().join(' ')}`;
  const making =
    underway.get(key) ?? make(app, String(asset.id), recipes).finally(() => underway.delete(key));
  underway.set(key, making);
  return making;
}

async function make(app: App, id: string, recipes: readonly string[]): Promise<void> {
  const { db, store, pool, config } = app;
  try {
    const signal = AbortSignal.timeout(WAIT_MS);
    const result = await makeRenditions(
      { db, store, pool, maxPixels: config.maxPixels },
      id,
      { recipes },
      signal,
    );
    try {
      await result.persist?.();
      await inTransaction(db, async (tx) => {
        await result.record?.(tx);
      });
    } finally {
      await result.release?.();
    }
  } catch (error) {
    // Nothing is lost: it stays due, and a worker makes it and says what is wrong.
    app.log.warn({ err: error, asset: id }, 'renditions could not be made for somebody who waits');
  }
}

/** Makes what the recipes of new assets want at once, before the answer is given. */
export async function makeAtOnce(app: App, assetIds: readonly string[]): Promise<void> {
  const names = (await listRecipes(app.db)).filter(isAtOnce).map(({ name }) => name);
  if (names.length === 0 || assetIds.length === 0) return;
  const rows = (await findRenditions(app.db, assetIds)).filter(
    ({ recipe, state }) => state === 'due' && names.includes(recipe),
  );
  const wanted = new Map<number, string[]>();
  for (const { asset_id, recipe } of rows) wanted.set(asset_id, [...(wanted.get(asset_id) ?? []), recipe]);
  const assets = await findAssets(app.db, [...wanted.keys()]);
  await Promise.all(assets.map((asset) => makeNow(app, asset, wanted.get(asset.id) ?? [])));
}

/** Orders what somebody looks at before everything else, and doesn't wait for it. */
export function makeSoon(app: App, asset: Pick<AssetRow, 'id' | 'name' | 'revision'>): void {
  const now = Date.now();
  if (now - (orderedAt.get(asset.id) ?? 0) < SOON_EVERY_MS) return;
  if (orderedAt.size >= MAX_REMEMBERED) orderedAt.clear();
  orderedAt.set(asset.id, now);
  inTransaction(app.db, (tx) =>
    orderSoon(tx, { id: String(asset.id), name: asset.name, revision: asset.revision }),
  ).catch((error) => app.log.warn({ err: error, asset: asset.id }, 'a rendition could not be ordered'));
}
