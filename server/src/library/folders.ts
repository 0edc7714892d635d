import {
  type Folder,
  isWithin,
  joinPath,
  MAX_PATH_LENGTH,
  parentPath,
  parseFolderPath,
  ROOT_PATH,
} from '@uniferum/core/library';
import { recordEvent } from '../events/outbox.js';
import { type Database, inTransaction, refuseDuplicate, type Transaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import { folderChanged, folderDeleted } from './events.js';
import {
  anchorFolder,
  deleteFolderRow,
  deleteForward,
  findFolder,
  findFolderByPath,
  folderHoldsAssets,
  listFoldersWithin,
  lockFoldersWithin,
  putForward,
  type StoredFolder,
  toFolderAnswers,
  updateFolderColour,
  updateFolderPaths,
} from './folder-queries.js';
import { type Preparation, prepareFolderMove, requireFolderMove } from './guards.js';
import { announceFolders, holdFolders } from './hold-folders.js';
import type { Joints } from './joints.js';
import type { LibraryTools } from './tools.js';

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

/** Creates a folder. @throws UniferumError `conflict` when it exists */
export async function makeFolder(db: Database, path: string, by: string): Promise<Folder> {
  const id = await inTransaction(db, async (tx) => {
    const held = (await holdFolders(tx, [path])).get(path);
    if (!held || held.made.length === 0)
      throw new UniferumError('conflict', `The folder ${path} already exists.`);
    await announceFolders(tx, held.made, by);
    return held.folder.id;
  });
  return (await readFolder(db, id)).folder;
}

export interface FolderChange {
  name?: string;
  /** The path of the folder it moves to. */
  parent?: string;
  colour?: string | null;
}

/** Renames, moves and colours a folder. Every URL below it redirects to the new one. */
export async function changeFolder(
  { db, joints }: LibraryTools,
  id: string,
  wanted: FolderChange,
  { by, ifMatch }: { by: string; ifMatch: string | undefined },
): Promise<void> {
  const known = await findFolder(db, id);
  if (known === null) throw notFound(`Folder ${id}`);
  const prepared = await prepareFolderMove(joints, db, {
    from: known.path,
    to: targetPath(known.path, wanted),
  });
  await inTransaction(db, async (tx) => {
    const folder = await holdFolder(tx, id, ifMatch);
    if (wanted.colour !== undefined) await updateFolderColour(tx, id, wanted.colour);
    const target = targetPath(folder.path, wanted);
    if (target !== folder.path) await moveFolder(joints, tx, folder, { target, prepared });
    await recordEvent(tx, { event: folderChanged, by, data: { id, path: target, from: folder.path } });
  });
}

/** Deletes an empty folder. @throws UniferumError `conflict` when it is not empty */
export async function removeFolder(
  db: Database,
  id: string,
  { by, ifMatch }: { by: string; ifMatch: string | undefined },
): Promise<void> {
  await inTransaction(db, async (tx) => {
    const folder = await holdFolder(tx, id, ifMatch);
    if (folder.path === ROOT_PATH) throw new UniferumError('conflict', "The root folder can't be deleted.");
    if ((await listFoldersWithin(tx, folder.path)).length > 1)
      throw new UniferumError('conflict', `${folder.path} contains folders. Move or delete them first.`);
    if (await folderHoldsAssets(tx, id))
      throw new UniferumError(
        'conflict',
        `${folder.path} contains assets, or its bin does. Move them to another folder first.`,
      );
    await deleteFolderRow(tx, id);
    await recordEvent(tx, { event: folderDeleted, by, data: { id, path: folder.path } });
  });
}

/** Locks a folder until the transaction ends, if it is still in the state known to the caller. */
async function holdFolder(tx: Transaction, id: string, ifMatch: string | undefined): Promise<StoredFolder> {
  const folder = await findFolder(tx, id, { lock: true });
  if (folder === null) throw notFound(`Folder ${id}`);
  requireMatch(ifMatch, revisionTag(id, folder.revision), `The folder ${folder.path}`);
  return folder;
}

function targetPath(path: string, { name, parent }: FolderChange): string {
  if (name === undefined && parent === undefined) return path;
  if (path === ROOT_PATH) throw new UniferumError('conflict', "The root folder can't be renamed or moved.");
  const parsed = parseFolderPath(
    joinPath(parent ?? parentPath(path) ?? ROOT_PATH, name ?? path.slice(path.lastIndexOf('/') + 1)),
  );
  if (!parsed.ok)
    throw new UniferumError('malformed-request', `The new path of the folder is invalid: ${parsed.reason}.`);
  if (isWithin(parsed.path, path) && parsed.path !== path)
    throw new UniferumError('conflict', `${path} can't be moved into itself.`);
  return parsed.path;
}

/**
 * Moves a locked folder. Its subfolders are locked, too, and its files are judged by the rules of the new location.
 *
 * @throws UniferumError `conflict`; `refused` with the files that the new location refuses
 */
async function moveFolder(
  joints: Joints,
  tx: Transaction,
  folder: StoredFolder,
  { target, prepared }: { target: string; prepared: Preparation },
): Promise<void> {
  const within = await lockFoldersWithin(tx, folder.path);
  const parentOfTarget = parentPath(target) ?? ROOT_PATH;
  const parent = await anchorFolder(tx, [parentOfTarget]);
  if (parent === null)
    throw new UniferumError('conflict', `Folder ${parentOfTarget} does not exist. Create it first.`);
  const longest = Math.max(...within.map(({ path }) => path.length));
  if (longest - folder.path.length + target.length > MAX_PATH_LENGTH)
    throw new UniferumError(
      'conflict',
      `Paths of subfolders of ${folder.path} would exceed ${MAX_PATH_LENGTH} characters.`,
    );
  await requireFolderMove(joints, tx, { move: { from: folder.path, to: target }, within, prepared });
  await updateFolderPaths(tx, { from: folder.path, to: target, id: folder.id, parentId: parent.id }).catch(
    refuseDuplicate(`The folder ${target} already exists. Choose another name.`),
  );
  await deleteForward(tx, `${target}/`);
  await putForward(tx, `${folder.path}/`, { folderId: folder.id });
}
