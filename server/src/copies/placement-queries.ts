import type { FolderPlacement } from '@uniferum/core/copies';
import { withinFolder } from '../library/folder-queries.js';
import { change, type Executor, select, type Transaction } from '../shared/database.js';

/** The placement of one folder. Stores are given by id, so that renaming one changes nothing here. */
export interface StoredPlacement {
  folderId: number;
  path: string;
  stores: number[];
  serveFrom: number | null;
  keepLocal: FolderPlacement['keepLocal'];
  rewritePages: boolean;
}

/** Lists the placements of all folders, from the root down. There are few of them. */
export async function listPlacements(db: Executor): Promise<StoredPlacement[]> {
  const rows = await select<{
    folder_id: number;
    path: string;
    stores: string;
    serve_from: number | null;
    keep_days: number | null;
    rewrite_pages: number;
  }>(
    db,
    `SELECT folder_id, path, stores, serve_from, keep_days, rewrite_pages
     FROM folder_placements JOIN folders ON folders.id = folder_placements.folder_id
     ORDER BY CHAR_LENGTH(path), path LIMIT 10000`,
  );
  return rows.map(({ folder_id, path, stores, serve_from, keep_days, rewrite_pages }) => ({
    ...{ folderId: folder_id, path, stores: JSON.parse(stores), serveFrom: serve_from },
    keepLocal: keep_days === null ? true : keep_days === 0 ? false : keep_days,
    rewritePages: rewrite_pages === 1,
  }));
}

/** Replaces the placement of a folder. */
export async function putPlacementRow(
  tx: Transaction,
  folderId: string,
  { stores, serveFrom, keepLocal, rewritePages }: Omit<StoredPlacement, 'folderId' | 'path'>,
): Promise<void> {
  await change(
    tx,
    'REPLACE INTO folder_placements (folder_id, stores, serve_from, keep_days, rewrite_pages) VALUES (?, ?, ?, ?, ?)',
    [
      ...[folderId, JSON.stringify(stores), serveFrom],
      ...[keepLocal === true ? null : Number(keepLocal), rewritePages],
    ],
  );
}

export async function deletePlacement(tx: Transaction, folderId: string): Promise<void> {
  await change(tx, 'DELETE FROM folder_placements WHERE folder_id = ?', [folderId]);
}

/** Deletes the placements of folders that are gone. */
export async function deleteOrphanedPlacements(db: Executor): Promise<void> {
  await change(
    db,
    'DELETE FROM folder_placements WHERE NOT EXISTS (SELECT 1 FROM folders WHERE folders.id = folder_placements.folder_id)',
  );
}

/** Counts the files of a folder and those below it that a store has not got, nor is about to get. */
export async function countUnplaced(
  db: Executor,
  path: string,
  storeId: number,
): Promise<{ files: number; bytes: number }> {
  const within = withinFolder(path);
  const lacks = (recipe: string, variant: string, sha256: string) =>
    `NOT EXISTS (SELECT 1 FROM placed_copies AS placed
       WHERE placed.asset_id = assets.id AND placed.store_id = ? AND placed.recipe = ${recipe}
         AND placed.variant = ${variant} AND placed.sha256 = ${sha256} AND placed.state <> 'damaged')`;
  const [row] = await select<{ files: number | string; bytes: number | string | null }>(
    db,
    `SELECT COUNT(*) AS files, SUM(bytes) AS bytes FROM (
       SELECT DISTINCT assets.id, '' AS recipe, '' AS variant, asset_versions.sha256, asset_versions.bytes
       FROM assets JOIN folders ON folders.id = assets.folder_id
       JOIN asset_versions ON asset_versions.asset_id = assets.id
       WHERE ${within.sql} AND assets.live = 1 AND assets.kind <> 'link' AND ${lacks("''", "''", 'asset_versions.sha256')}
       UNION ALL
       SELECT assets.id, renditions.recipe, renditions.variant, renditions.sha256, renditions.bytes
       FROM assets JOIN folders ON folders.id = assets.folder_id
       JOIN renditions ON renditions.asset_id = assets.id AND renditions.sha256 IS NOT NULL
       WHERE ${within.sql} AND assets.live = 1 AND assets.kind <> 'link'
         AND ${lacks('renditions.recipe', 'renditions.variant', 'renditions.sha256')}
     ) AS unplaced`,
    [...within.values, storeId, ...within.values, storeId],
  );
  return { files: Number(row?.files ?? 0), bytes: Number(row?.bytes ?? 0) };
}

/** When the latest copies were stored, to measure how fast that goes. */
export async function listLatelyStored(db: Executor): Promise<{ bytes: number; atMs: number }[]> {
  const rows = await select<{ bytes: number; checked_at: Date | null }>(
    db,
    "SELECT bytes, checked_at FROM placed_copies WHERE state = 'stored' ORDER BY id DESC LIMIT 1000",
  );
  return rows.flatMap(({ bytes, checked_at }) =>
    checked_at === null ? [] : [{ bytes, atMs: checked_at.getTime() }],
  );
}
