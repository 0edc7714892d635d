import type { FolderAccess, PublicMetadata } from '@uniferum/core/library';
import { change, type Executor, selectExpanded } from '../shared/database.js';

/** Reads the access settings of existing folders among the paths, from the root down. */
export async function findAccess(
  db: Executor,
  paths: readonly string[],
): Promise<{ path: string; access: FolderAccess }[]> {
  const rows = await selectExpanded<{ path: string; public_metadata: PublicMetadata | null }>(
    db,
    'SELECT path, public_metadata FROM folders WHERE path IN (?) ORDER BY CHAR_LENGTH(path)',
    [paths],
  );
  return rows.map(({ path, public_metadata }) => ({ path, access: { publicMetadata: public_metadata } }));
}

/** Writes a folder's access settings as its next revision. */
export async function updateFolderAccess(db: Executor, id: string, access: FolderAccess): Promise<void> {
  await change(db, 'UPDATE folders SET public_metadata = ?, revision = revision + 1 WHERE id = ?', [
    access.publicMetadata,
    id,
  ]);
}
