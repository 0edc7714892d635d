import { parentPath, pathChain } from '@uniferum/core/library';
import { recordEvent } from '../events/outbox.js';
import { isDatabaseError, StartOver, type Transaction } from '../shared/database.js';
import { folderCreated } from './events.js';
import {
  anchorFolder,
  deleteForward,
  deleteNewFolders,
  findFolderByPath,
  insertFolder,
  type StoredFolder,
} from './folder-queries.js';

/** A folder that is held, with the folders that had to be made for it; those aren't told to anybody yet. */
export interface HeldFolder {
  folder: StoredFolder;
  made: StoredFolder[];
}

/**
 * Holds folders until the transaction ends, and makes those that are missing, so that what is judged by them holds when it
 * is written. Every caller takes them in the order of their paths; so no two wait for each other.
 *
 * Follow it by {@link announceFolders} or {@link dropFolders} for those that were made.
 */
export async function holdFolders(
  tx: Transaction,
  paths: readonly string[],
): Promise<Map<string, HeldFolder>> {
  const held = new Map<string, HeldFolder>();
  for (const path of [...new Set(paths)].sort()) held.set(path, await holdFolder(tx, path));
  return held;
}

async function holdFolder(tx: Transaction, path: string): Promise<HeldFolder> {
  const present = await findFolderByPath(tx, path, { lock: true });
  if (present) return { folder: present, made: [] };
  const chain = pathChain(path);
  const anchor = await anchorFolder(tx, chain.slice(0, -1));
  if (anchor === null) throw new Error('Expected the top folder in the database, got none');
  const made: StoredFolder[] = [];
  let parent = anchor;
  for (const step of chain.slice(chain.indexOf(anchor.path) + 1)) {
    parent = await makeBelow(tx, parent, step);
    made.push(parent);
  }
  return { folder: parent, made };
}

async function makeBelow(tx: Transaction, parent: StoredFolder, path: string): Promise<StoredFolder> {
  try {
    await insertFolder(tx, path, parent.id);
  } catch (error) {
    // Somebody else made it in the meantime. The insertion left a lock on it that can't be made stronger without a deadlock.
    if (isDatabaseError(error, 'ER_DUP_ENTRY')) throw new StartOver();
    throw error;
  }
  const folder = await findFolderByPath(tx, path, { lock: true });
  if (folder === null) throw new Error(`Expected the folder ${path} after it was made, got none`);
  return folder;
}

/** Tells that folders were made, and ends what their addresses led to before. */
export async function announceFolders(
  tx: Transaction,
  folders: readonly StoredFolder[],
  by: string,
): Promise<void> {
  for (const { id, path } of folders) {
    await deleteForward(tx, `${path}/`);
    await recordEvent(tx, { event: folderCreated, by, data: { id, path } });
  }
}

/** Takes folders back that were made for nothing. */
export async function dropFolders(tx: Transaction, folders: readonly StoredFolder[]): Promise<void> {
  await deleteNewFolders(
    tx,
    folders.map(({ id }) => id),
  );
}

/** Splits folders that were made into those that lead to one in use, and those that don't. */
export function sortByUse(
  made: readonly StoredFolder[],
  usedPaths: readonly string[],
): { used: StoredFolder[]; unused: StoredFolder[] } {
  const inUse = new Set(usedPaths.flatMap(pathChain));
  return {
    used: made.filter(({ path }) => inUse.has(path)),
    unused: made.filter(({ path }) => !inUse.has(path) && parentPath(path) !== null),
  };
}

/** Holds a folder, or makes it and every folder above it that is missing, and tells of those that were made. */
export async function ensureFolder(tx: Transaction, path: string, by: string): Promise<StoredFolder> {
  const { folder, made } = await holdFolder(tx, path);
  await announceFolders(tx, made, by);
  return folder;
}
