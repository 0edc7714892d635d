import { type Executor, select } from '../shared/database.js';
import { withinFolder } from './folder-queries.js';

/** Lists the live assets in a folder and below it, in pages by id. */
export async function listAssetsWithin(
  db: Executor,
  path: string,
  { after, limit }: { after: number; limit: number },
): Promise<{ id: number; name: string }[]> {
  const within = withinFolder(path);
  return select<{ id: number; name: string }>(
    db,
    `SELECT assets.id, assets.name FROM assets JOIN folders ON folders.id = assets.folder_id
     WHERE ${within.sql} AND assets.live = 1 AND assets.id > ? ORDER BY assets.id LIMIT ?`,
    [...within.values, after, limit],
  );
}
