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

/** A locked folder, with the folders created for it that have not been reported yet. */
export interface HeldFolder {
  folder: StoredFolder;
  made: StoredFolder[];
}

/**
 * Locks folders until the transaction ends, and creates missing ones, so that rules judged now still apply when the
 * result is written. Every caller locks in path order, which prevents deadlocks. Afterwards call {@link
 * announceFolders} or {@link dropFolders} for the created ones.
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
    // Another transaction has created it meanwhile. The insert left a shared lock that cannot be upgraded without a
    // deadlock.
    if (isDatabaseError(error, 'ER_DUP_ENTRY')) throw new StartOver();
    throw error;
  }
  const folder = await findFolderByPath(tx, path, { lock: true });
  if (folder === null) throw new Error(`Expected the folder ${path} after it was made, got none`);
  return folder;
}

/** Reports created folders, and ends redirects from their paths. */
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

/** Deletes created folders that were not needed. */
export async function dropFolders(tx: Transaction, folders: readonly StoredFolder[]): Promise<void> {
  await deleteNewFolders(
    tx,
    folders.map(({ id }) => id),
  );
}

/** Splits created folders into those on the path of a used one, and the rest. */
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

/** Locks a folder, creating it and its missing ancestors, and reports the created ones. */
export async function ensureFolder(tx: Transaction, path: string, by: string): Promise<StoredFolder> {
  const { folder, made } = await holdFolder(tx, path);
  await announceFolders(tx, made, by);
  return folder;
}
