import type { FolderPlacement } from '@uniferum/core/copies';
import { change, type Executor, select, type Transaction } from '../shared/database.js';

/** The placement of one folder. Stores are given by id, so that renaming one changes nothing here. */
export interface StoredPlacement {
  folderId: number;
  path: string;
  stores: number[];
  serveFrom: number | null;
  keepLocal: FolderPlacement['keepLocal'];
}

/** Lists the placements of all folders, from the root down. There are few of them. */
export async function listPlacements(db: Executor): Promise<StoredPlacement[]> {
  const rows = await select<{
    folder_id: number;
    path: string;
    stores: string;
    serve_from: number | null;
    keep_days: number | null;
  }>(
    db,
    `SELECT folder_id, path, stores, serve_from, keep_days
     FROM folder_placements JOIN folders ON folders.id = folder_placements.folder_id
     ORDER BY CHAR_LENGTH(path), path LIMIT 10000`,
  );
  return rows.map(({ folder_id, path, stores, serve_from, keep_days }) => ({
    ...{ folderId: folder_id, path, stores: JSON.parse(stores), serveFrom: serve_from },
    keepLocal: keep_days === null ? true : keep_days === 0 ? false : keep_days,
  }));
}

/** Replaces the placement of a folder. */
export async function putPlacementRow(
  tx: Transaction,
  folderId: string,
  { stores, serveFrom, keepLocal }: Pick<StoredPlacement, 'stores' | 'serveFrom' | 'keepLocal'>,
): Promise<void> {
  await change(
    tx,
    'REPLACE INTO folder_placements (folder_id, stores, serve_from, keep_days) VALUES (?, ?, ?, ?)',
    [folderId, JSON.stringify(stores), serveFrom, keepLocal === true ? null : Number(keepLocal)],
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
