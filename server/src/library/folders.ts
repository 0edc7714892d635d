import {
  type Folder,
  isWithin,
  joinPath,
  parentPath,
  parseFolderPath,
  pathChain,
  ROOT_PATH,
} from '@uniferum/core';
import { recordEvent } from '../hooks/outbox.js';
import { type Database, inTransaction, isDatabaseError, type Transaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import {
  deleteFolderRow,
  deleteForward,
  findFolder,
  findFolderByPath,
  folderHoldsAssets,
  insertFolder,
  listFoldersWithin,
  putForward,
  type StoredFolder,
  toFolderAnswers,
  updateFolderColour,
  updateFolderPaths,
} from './folder-queries.js';

/** Reads one folder as an answer, with its revision. @throws UniferumError `not-found` */
export async function readFolder(db: Database, id: string): Promise<{ folder: Folder; revision: number }> {
  const stored = await findFolder(db, id);
  if (stored === null) throw notFound(`Folder ${id}`);
  const parent = parentPath(stored.path);
  const above = parent === null ? null : await findFolderByPath(db, parent);
  const answers = toFolderAnswers(await listFoldersWithin(db, stored.path));
  const folder = answers.find((answer) => answer.id === id);
  if (folder === undefined) throw notFound(`Folder ${id}`);
  return { folder: { ...folder, parent: above?.id ?? null }, revision: stored.revision };
}

/** Finds a folder by its path, or makes it and every folder above it that is missing. */
export async function ensureFolder(tx: Transaction, path: string, by: string): Promise<StoredFolder> {
  let folder = await findFolderByPath(tx, ROOT_PATH);
  for (const step of pathChain(path).slice(1)) {
    folder = (await findFolderByPath(tx, step)) ?? (await addFolder(tx, step, folder?.id ?? '1', by));
  }
  if (folder === null) throw new Error('Expected the top folder in the database, got none');
  return folder;
}

/** Makes one new folder. @throws UniferumError `conflict` when it exists */
export async function makeFolder(db: Database, path: string, by: string): Promise<Folder> {
  const id = await inTransaction(db, async (tx) => {
    if (await findFolderByPath(tx, path))
      throw new UniferumError('conflict', `The folder ${path} exists already.`);
    return (await ensureFolder(tx, path, by)).id;
  });
  return (await readFolder(db, id)).folder;
}

export interface FolderChange {
  name?: string;
  /** The path of the folder into which it moves. */
  parent?: string;
  colour?: string | null;
}

/** Renames, moves and colours a folder. Every address below it forwards to the new one. */
export async function changeFolder(
  db: Database,
  id: string,
  wanted: FolderChange,
  { by, ifMatch }: { by: string; ifMatch: string | undefined },
): Promise<void> {
  await inTransaction(db, async (tx) => {
    const folder = await holdFolder(tx, id, ifMatch);
    if (wanted.colour !== undefined) await updateFolderColour(tx, id, wanted.colour);
    const target = targetPath(folder.path, wanted);
    if (target !== folder.path) await moveFolder(tx, folder, target);
    await recordEvent(tx, { type: 'folder.changed', by, data: { id, path: target, from: folder.path } });
  });
}

/** Takes an empty folder away. @throws UniferumError `conflict` when something is in it */
export async function removeFolder(
  db: Database,
  id: string,
  { by, ifMatch }: { by: string; ifMatch: string | undefined },
): Promise<void> {
  await inTransaction(db, async (tx) => {
    const folder = await holdFolder(tx, id, ifMatch);
    if (folder.path === ROOT_PATH) throw new UniferumError('conflict', "The top folder can't be taken away.");
    if ((await listFoldersWithin(tx, folder.path)).length > 1)
      throw new UniferumError(
        'conflict',
        `${folder.path} has folders in it. Move them or take them away first.`,
      );
    if (await folderHoldsAssets(tx, id))
      throw new UniferumError(
        'conflict',
        `${folder.path} has assets in it or in its bin. Move them to another folder first.`,
      );
    await deleteFolderRow(tx, id);
    await recordEvent(tx, { type: 'folder.deleted', by, data: { id, path: folder.path } });
  });
}

/** Holds a folder until the transaction ends, if it is still in the state that the caller knows. */
async function holdFolder(tx: Transaction, id: string, ifMatch: string | undefined): Promise<StoredFolder> {
  const folder = await findFolder(tx, id, { lock: true });
  if (folder === null) throw notFound(`Folder ${id}`);
  requireMatch(ifMatch, revisionTag(id, folder.revision), `The folder ${folder.path}`);
  return folder;
}

async function addFolder(tx: Transaction, path: string, parentId: string, by: string): Promise<StoredFolder> {
  try {
    const id = await insertFolder(tx, path, parentId);
    await deleteForward(tx, `${path}/`);
    await recordEvent(tx, { type: 'folder.created', by, data: { id, path } });
  } catch (error) {
    // Another request made it in the meantime: that is the folder that was wanted.
    if (!isDatabaseError(error, 'ER_DUP_ENTRY')) throw error;
  }
  const made = await findFolderByPath(tx, path);
  if (made === null) throw new Error(`Expected the folder ${path} after it was made, got none`);
  return made;
}

function targetPath(path: string, { name, parent }: FolderChange): string {
  if (name === undefined && parent === undefined) return path;
  if (path === ROOT_PATH) throw new UniferumError('conflict', "The top folder can't be renamed or moved.");
  const parsed = parseFolderPath(
    joinPath(parent ?? parentPath(path) ?? ROOT_PATH, name ?? path.slice(path.lastIndexOf('/') + 1)),
  );
  if (!parsed.ok)
    throw new UniferumError('malformed-request', `The folder's new path can't be: ${parsed.reason}.`);
  if (isWithin(parsed.path, path) && parsed.path !== path)
    throw new UniferumError('conflict', `${path} can't be moved into itself.`);
  return parsed.path;
}

async function moveFolder(tx: Transaction, folder: StoredFolder, target: string): Promise<void> {
  if (await findFolderByPath(tx, target))
    throw new UniferumError('conflict', `The folder ${target} exists already. Choose another name.`);
  const parent = await findFolderByPath(tx, parentPath(target) ?? ROOT_PATH, { lock: true });
  if (parent === null)
    throw new UniferumError('conflict', `There is no folder ${parentPath(target)}. Make it first.`);
  await updateFolderPaths(tx, { from: folder.path, to: target, id: folder.id, parentId: parent.id });
  await deleteForward(tx, `${target}/`);
  await putForward(tx, `${folder.path}/`, { folderId: folder.id });
}
