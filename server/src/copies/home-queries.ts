import { addToCounter } from '../shared/counters.js';
import {
  change,
  changeExpanded,
  type Executor,
  selectExpanded,
  type Transaction,
} from '../shared/database.js';

/** A copy in the home store. */
export interface HomeCopy {
  sha256: string;
  bytes: number;
  created_at: Date;
  damaged_at: Date | null;
  /** When somebody brought it back; placements leave it then. */
  fetched_at: Date | null;
}

/** The home store's copies of some bytes; a locking read sees what others have just committed. */
export async function findHomeCopies(
  db: Executor,
  home: string,
  digests: readonly string[],
  { lock = false } = {},
): Promise<HomeCopy[]> {
  if (digests.length === 0) return [];
  return selectExpanded<HomeCopy>(
    db,
    `SELECT copies.sha256, blobs.bytes, copies.created_at, copies.damaged_at, copies.fetched_at
     FROM copies JOIN blobs ON blobs.sha256 = copies.sha256
     WHERE copies.store = ? AND copies.sha256 IN (?) AND copies.left_at IS NULL ORDER BY copies.sha256 ${lock ? 'FOR UPDATE' : ''}`,
    [home, [...digests]],
  );
}

/** Records that the home store no longer has some bytes. @returns whether it had them */
export async function leaveHomeCopy(
  tx: Transaction,
  home: string,
  { sha256, bytes }: Pick<HomeCopy, 'sha256' | 'bytes'>,
): Promise<boolean> {
  const { affectedRows } = await change(
    tx,
    'UPDATE copies SET left_at = NOW(3) WHERE sha256 = ? AND store = ? AND left_at IS NULL',
    [sha256, home],
  );
  if (affectedRows > 0) await addToCounter(tx, 'store', home, { items: -1, bytes: -bytes });
  return affectedRows > 0;
}

/** Records that somebody wants these bytes in the home store. */
export async function pinHomeCopy(tx: Executor, home: string, sha256: string): Promise<void> {
  await change(tx, 'UPDATE copies SET fetched_at = NOW(3) WHERE sha256 = ? AND store = ?', [sha256, home]);
}

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
