import { changeExpanded, type Executor, selectExpanded, type Transaction } from '../shared/database.js';

/** The other assets that hold some bytes, as a version or as a rendition. */
export async function findOtherHolders(
  db: Executor,
  sha256: string,
  except: readonly number[],
): Promise<number[]> {
  const rows = await selectExpanded<{ asset_id: number }>(
    db,
    `SELECT asset_id FROM asset_versions WHERE sha256 = ? AND asset_id NOT IN (?)
     UNION SELECT asset_id FROM renditions WHERE sha256 = ? AND asset_id NOT IN (?) LIMIT 1000`,
    [sha256, [...except], sha256, [...except]],
  );
  return rows.map(({ asset_id }) => asset_id);
}

/**
 * Assets with files that the home store has kept for some days although they are stored elsewhere, in pages by asset.
 *
 * @param folders the ids of the folders whose placement says so
 */
export async function listKeptLong(
  db: Executor,
  home: string,
  { folders, days, after, limit }: { folders: readonly number[]; days: number; after: number; limit: number },
): Promise<number[]> {
  if (folders.length === 0) return [];
  const rows = await selectExpanded<{ id: number }>(
    db,
    `SELECT DISTINCT assets.id FROM assets
     JOIN placed_copies ON placed_copies.asset_id = assets.id AND placed_copies.state = 'stored'
     JOIN copies ON copies.sha256 = placed_copies.sha256 AND copies.store = ? AND copies.left_at IS NULL
     WHERE assets.folder_id IN (?) AND assets.id > ? AND copies.fetched_at IS NULL
       AND copies.created_at <= NOW(3) - INTERVAL ? DAY
     ORDER BY assets.id LIMIT ?`,
    [home, [...folders], after, days, limit],
  );
  return rows.map(({ id }) => id);
}

/** Makes copies whose asset is gone go soon. */
export async function markOrphaned(tx: Transaction, ids: readonly number[]): Promise<void> {
  if (ids.length === 0) return;
  await changeExpanded(tx, "UPDATE placed_copies SET stale_at = '2000-01-01' WHERE id IN (?)", [[...ids]]);
}
