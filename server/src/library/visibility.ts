import { pathChain } from '@uniferum/core/library';
import type { Executor } from '../shared/database.js';
import { findVisibilities } from './access-queries.js';
import type { AssetRow } from './asset-queries.js';

/** Finds which of the assets nobody may read without a key, a session or a link: by their own setting, or their folder's. */
export async function arePrivate(
  db: Executor,
  rows: readonly Pick<AssetRow, 'id' | 'visibility' | 'folder_path'>[],
): Promise<Set<number>> {
  const folders = await findVisibilities(db);
  const isPrivate = ({ visibility, folder_path }: (typeof rows)[number]) =>
    (visibility ?? visibilityIn(folders, folder_path)) === 'private';
  return new Set(rows.filter(isPrivate).map(({ id }) => id));
}

/** The setting of the nearest folder that has one. */
function visibilityIn(folders: ReadonlyMap<string, string>, path: string): string {
  for (const folder of pathChain(path).reverse()) {
    const visibility = folders.get(folder);
    if (visibility) return visibility;
  }
  return 'public';
}
