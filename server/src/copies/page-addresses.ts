import type { AssetRow } from '../library/asset-queries.js';
import { findWithholding } from '../library/folder-access.js';
import { objectPlace, placeKey } from '../library/joints.js';
import { arePrivate } from '../library/visibility.js';
import { findRenditions } from '../recipes/queries.js';
import type { Executor } from '../shared/database.js';
import { findCopiesOf } from './copy-queries.js';
import { listPlacements } from './placement-queries.js';
import { nearestOf } from './placements.js';
import { describeStores, publicAddress } from './store-facts.js';

/** The address in a store that pages show a file at. */
export interface PageAddress {
  url: string;
  /** See `objectPlace`. */
  place: string;
}

/**
 * Finds the addresses in stores that pages are to show files at, by `placeKey`; the recipe of an original is empty. What
 * has none is shown at its media address: no placement asks for it, the store lacks its current bytes, or visitors may
 * not read them there.
 */
export async function findPageAddresses(
  db: Executor,
  rows: readonly AssetRow[],
): Promise<Map<string, PageAddress>> {
  const placements = await listPlacements(db);
  const found = new Map<string, PageAddress>();
  const storeOf = ({ folder_path }: AssetRow) => {
    const placement = nearestOf(placements, folder_path);
    return placement?.rewritePages ? placement.serveFrom : null;
  };
  const led = rows.filter((row) => storeOf(row) !== null);
  if (led.length === 0) return found;
  const [secret, withheld] = [await arePrivate(db, led), await findWithholding(db, led)];
  const stores = await describeStores(db);
  const open = new Map(led.filter(({ id }) => !secret.has(id)).map((row) => [row.id, row]));
  const ids = [...open.keys()];
  const current = new Map<string, string>();
  for (const { id, sha256 } of open.values())
    if (!withheld.has(id)) current.set(placeKey({ asset: id, recipe: '', variant: '' }), sha256);
  for (const { asset_id, recipe, variant, sha256 } of await findRenditions(db, ids))
    if (sha256 !== null) current.set(placeKey({ asset: asset_id, recipe, variant }), sha256);
  for (const copy of await findCopiesOf(db, ids)) {
    const { asset_id, store_id, recipe, variant, sha256, state, store_key } = copy;
    const row = open.get(asset_id);
    const facts = stores.get(store_id);
    const key = placeKey({ asset: asset_id, recipe, variant });
    if (!row || !facts || store_id !== storeOf(row) || state !== 'stored' || current.get(key) !== sha256)
      continue;
    const url = publicAddress(facts, store_key);
    if (url !== null) found.set(key, { url, place: objectPlace({ storeId: store_id, key: store_key }) });
  }
  return found;
}
