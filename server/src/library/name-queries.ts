import { type Executor, selectExpanded } from '../shared/database.js';

/** Finds live assets by their names, whatever their case; at most 1,000. */
export async function findByNames(
  db: Executor,
  names: readonly string[],
): Promise<{ id: number; folder_path: string; name: string }[]> {
  if (names.length === 0) return [];
  return selectExpanded(
    db,
    `SELECT assets.id, folders.path AS folder_path, assets.name
     FROM assets FORCE INDEX (all_assets_by_name) JOIN folders ON folders.id = assets.folder_id
     WHERE assets.live = 1 AND assets.name_key IN (?) ORDER BY assets.id LIMIT 1000`,
    [[...new Set(names.map((name) => name.toLowerCase()))]],
  );
}
