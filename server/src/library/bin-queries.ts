import { change, changeExpanded, type Executor, select, selectOne } from '../shared/database.js';
import { type AssetRow, SELECT_ASSETS } from './asset-queries.js';

/** Moves an asset to the bin. */
export async function binAsset(tx: Executor, id: string): Promise<void> {
  await change(
    tx,
    'UPDATE assets SET live = NULL, deleted_at = NOW(3), updated_at = GREATEST(NOW(3), updated_at), revision = revision + 1 WHERE id = ?',
    [id],
  );
}

/** Restores an asset from the bin under a free name. */
export async function unbinAsset(
  tx: Executor,
  id: string,
  { name, addressStem }: { name: string; addressStem: string },
): Promise<void> {
  await change(
    tx,
    'UPDATE assets SET live = 1, deleted_at = NULL, name = ?, address_stem = ?, updated_at = GREATEST(NOW(3), updated_at), revision = revision + 1 WHERE id = ?',
    [name, addressStem, id],
  );
}

/** Reads one page of the bin, most recently deleted first, with one more than `limit`. */
export async function listBinned(
  db: Executor,
  { limit, before }: { limit: number; before: { at: Date; id: number } | null },
): Promise<AssetRow[]> {
  const position = before ? 'AND (assets.deleted_at < ? OR (assets.deleted_at = ? AND assets.id < ?))' : '';
  const values = before ? [before.at, before.at, before.id] : [];
  return select<AssetRow>(
    db,
    `${SELECT_ASSETS} WHERE assets.deleted_at IS NOT NULL ${position} ORDER BY assets.deleted_at DESC, assets.id DESC LIMIT ?`,
    [...values, limit + 1],
  );
}

/** Counts the assets in the bin, and their bytes. */
export async function countBinned(db: Executor): Promise<{ items: number; bytes: number }> {
  const row = await selectOne<{ items: number; bytes: number | string | null }>(
    db,
    'SELECT COUNT(*) AS items, SUM(bytes) AS bytes FROM assets WHERE deleted_at IS NOT NULL',
  );
  return { items: row?.items ?? 0, bytes: Number(row?.bytes ?? 0) };
}

/** Lists the ids of assets in the bin: all, or those deleted before a given time. */
export async function listBinnedIds(db: Executor, before: Date | null): Promise<string[]> {
  const rows = await select<{ id: number }>(
    db,
    `SELECT id FROM assets WHERE deleted_at IS NOT NULL ${before ? 'AND deleted_at < ?' : ''} ORDER BY id LIMIT 1000000`,
    before ? [before] : [],
  );
  return rows.map(({ id }) => String(id));
}

/** Permanently deletes assets from the bin. The cleanup removes their bytes unless another asset references them. */
export async function purgeAssets(tx: Executor, ids: readonly string[]): Promise<void> {
  if (ids.length === 0) return;
  await changeExpanded(tx, 'DELETE FROM asset_versions WHERE asset_id IN (?)', [ids]);
  await changeExpanded(tx, 'DELETE FROM asset_keywords WHERE asset_id IN (?)', [ids]);
  await changeExpanded(tx, 'DELETE FROM asset_bands WHERE asset_id IN (?)', [ids]);
  await changeExpanded(tx, 'DELETE FROM similar_pairs WHERE a IN (?) OR b IN (?)', [ids, ids]);
  await changeExpanded(tx, 'DELETE FROM assets WHERE id IN (?) AND live IS NULL', [ids]);
}
