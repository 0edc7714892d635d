import type { FolderAccess, PublicMetadata, Visibility } from '@uniferum/core/library';
import { change, type Executor, select, selectExpanded } from '../shared/database.js';

interface AccessRow {
  path: string;
  public_metadata: PublicMetadata | null;
  visibility: Visibility | null;
}

/** Reads the access settings of existing folders among the paths, from the root down. */
export async function findAccess(
  db: Executor,
  paths: readonly string[],
): Promise<{ path: string; access: FolderAccess }[]> {
  const rows = await selectExpanded<AccessRow>(
    db,
    'SELECT path, public_metadata, visibility FROM folders WHERE path IN (?) ORDER BY CHAR_LENGTH(path)',
    [paths],
  );
  return rows.map(({ path, public_metadata, visibility }) => ({
    path,
    access: { visibility, publicMetadata: public_metadata },
  }));
}

/** The folders that say who may read their files, by path. There are few of them. */
export async function findVisibilities(db: Executor): Promise<Map<string, Visibility>> {
  const rows = await select<{ path: string; visibility: Visibility }>(
    db,
    'SELECT path, visibility FROM folders WHERE visibility IS NOT NULL LIMIT 10000',
  );
  return new Map(rows.map(({ path, visibility }) => [path, visibility]));
}

/** The folders that say which embedded metadata they publish, by path. There are few of them. */
export async function findPublicMetadata(db: Executor): Promise<Map<string, PublicMetadata>> {
  const rows = await select<{ path: string; public_metadata: PublicMetadata }>(
    db,
    'SELECT path, public_metadata FROM folders WHERE public_metadata IS NOT NULL LIMIT 10000',
  );
  return new Map(rows.map(({ path, public_metadata }) => [path, public_metadata]));
}

/** Writes a folder's access settings as its next revision. */
export async function updateFolderAccess(db: Executor, id: string, access: FolderAccess): Promise<void> {
  await change(
    db,
    'UPDATE folders SET public_metadata = ?, visibility = ?, revision = revision + 1 WHERE id = ?',
    [access.publicMetadata, access.visibility, id],
  );
}

/** Lists the assets that are private by their own setting, in pages by id. */
export async function listPrivateAssets(
  db: Executor,
  { after, limit }: { after: number; limit: number },
): Promise<{ id: number; name: string }[]> {
  return select(
    db,
    "SELECT id, name FROM assets WHERE visibility = 'private' AND live = 1 AND id > ? ORDER BY id LIMIT ?",
    [after, limit],
  );
}
