import { pathChain, type Visibility } from '@uniferum/core/library';
import type { Executor } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import type { Principal } from '../shared/principal.js';
import { findVisibilities } from './access-queries.js';
import type { AssetRow } from './asset-queries.js';

/** Finds which of the assets nobody may read without a key, a session or a link: by their own setting, or their folder's. */
export async function arePrivate(
  db: Executor,
  rows: readonly Pick<AssetRow, 'id' | 'visibility' | 'folder_path'>[],
): Promise<Set<number>> {
  const folders = await findVisibilities(db);
  return new Set(rows.filter((row) => isPrivateIn(folders, row)).map(({ id }) => id));
}

/** Whether a file is private: its own setting counts, otherwise that of the nearest folder that has one. */
export function isPrivateIn(
  folders: ReadonlyMap<string, Visibility>,
  { visibility, folder_path }: Pick<AssetRow, 'visibility' | 'folder_path'>,
): boolean {
  if (visibility !== null) return visibility === 'private';
  const nearest = pathChain(folder_path).findLast((path) => folders.has(path));
  return nearest !== undefined && folders.get(nearest) === 'private';
}

/** Whether somebody may read private files: with a key or a session. Tokens of pages stand for visitors. */
export function mayReadPrivate({ kind, rights }: Principal): boolean {
  return (kind === 'user' || kind === 'key') && rights.includes('library:read');
}

/**
 * Requires that somebody may read a file.
 *
 * @param what what it is called when it seems not to exist
 * @returns whether it is private, so that no cache may keep it
 * @throws UniferumError `not-found`: a private file is not even mentioned
 */
export async function requireReadable(
  db: Executor,
  asset: Pick<AssetRow, 'id' | 'visibility' | 'folder_path'>,
  who: Principal,
  what: string,
): Promise<{ isPrivate: boolean }> {
  const isPrivate = (await arePrivate(db, [asset])).size > 0;
  if (isPrivate && !mayReadPrivate(who)) throw notFound(what);
  return { isPrivate };
}

/** For bytes that no cache may keep. */
export const PRIVATE_CACHE = 'private, no-store';
