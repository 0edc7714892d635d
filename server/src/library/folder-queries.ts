import { type Folder, folderName, parentPath } from '@uniferum/core/library';
import { type FolderRules, NO_RULES } from '@uniferum/core/rules';
import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  selectOne,
  writeJson,
} from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';

interface FolderRow {
  id: number;
  path: string;
  colour: string | null;
  items: number;
  bytes: number;
  rules: string | null;
  revision: number;
}

/** A folder as stored. */
export interface StoredFolder {
  id: string;
  path: string;
  colour: string | null;
  items: number;
  bytes: number;
  rules: FolderRules;
  revision: number;
}

const COLUMNS = 'id, path, colour, items, bytes, rules, revision';

/** Finds a folder; with `lock`, exclusively until the transaction ends. */
export async function findFolder(
  db: Executor,
  id: string,
  { lock = false } = {},
): Promise<StoredFolder | null> {
  const row = await selectOne<FolderRow>(
    db,
    `SELECT ${COLUMNS} FROM folders WHERE id = ? ${lock ? 'FOR UPDATE' : ''}`,
    [id],
  );
  return row && rowToFolder(row);
}

export async function findFolderByPath(
  db: Executor,
  path: string,
  { lock = false } = {},
): Promise<StoredFolder | null> {
  const row = await selectOne<FolderRow>(
    db,
    `SELECT ${COLUMNS} FROM folders WHERE path = ? ${lock ? 'FOR UPDATE' : ''}`,
    [path],
  );
  return row && rowToFolder(row);
}

/** Finds existing folders among the paths, in path order. */
export async function findFoldersByPaths(db: Executor, paths: readonly string[]): Promise<StoredFolder[]> {
  if (paths.length === 0) return [];
  const rows = await selectExpanded<FolderRow>(
    db,
    `SELECT ${COLUMNS} FROM folders WHERE path IN (?) ORDER BY path`,
    [paths],
  );
  return rows.map(rowToFolder);
}

/**
 * The condition that a folder is another one or below it. A range rather than LIKE: on an index with a binary
 * collation, the database's LIKE stops at U+FFFF and misses names that begin with an emoji.
 */
export function withinFolder(path: string): { sql: string; values: string[] } {
  if (path === '/') return { sql: '1 = 1', values: [] };
  // The character after the slash is the digit 0.
  return {
    sql: '(folders.path = ? OR (folders.path >= ? AND folders.path < ?))',
    values: [path, `${path}/`, `${path}0`],
  };
}

/** Lists a folder and its subfolders, in path order. */
export async function listFoldersWithin(db: Executor, path: string): Promise<StoredFolder[]> {
  const within = withinFolder(path);
  const rows = await select<FolderRow>(
    db,
    `SELECT ${COLUMNS} FROM folders WHERE ${within.sql} ORDER BY path LIMIT 100000`,
    within.values,
  );
  return rows.map(rowToFolder);
}

/** Makes the next revision of a folder, after a change of something that is kept elsewhere. */
export async function touchFolder(tx: Executor, id: string): Promise<void> {
  await change(tx, 'UPDATE folders SET revision = revision + 1 WHERE id = ?', [id]);
}

/** Finds the deepest existing folder on a path, with a shared lock against moving and deleting until the transaction ends. */
export async function anchorFolder(tx: Executor, chain: readonly string[]): Promise<StoredFolder | null> {
  for (const path of chain.toReversed()) {
    const row = await selectOne<FolderRow>(
      tx,
      `SELECT ${COLUMNS} FROM folders WHERE path = ? LOCK IN SHARE MODE`,
      [path],
    );
    if (row) return rowToFolder(row);
  }
  return null;
}

/** Locks folders by id until the transaction ends, in path order. */
export async function lockFolders(tx: Executor, ids: readonly string[]): Promise<StoredFolder[]> {
  const rows = await selectExpanded<FolderRow>(
    tx,
    `SELECT ${COLUMNS} FROM folders WHERE id IN (?) ORDER BY path FOR UPDATE`,
    [[...ids]],
  );
  return rows.map(rowToFolder);
}

/** Locks a folder and its subfolders until the transaction ends, from the top down. */
export async function lockFoldersWithin(tx: Executor, path: string): Promise<StoredFolder[]> {
  const within = withinFolder(path);
  const rows = await select<FolderRow>(
    tx,
    `SELECT ${COLUMNS} FROM folders FORCE INDEX (folders_path)
     WHERE ${within.sql} ORDER BY path LIMIT 100000 FOR UPDATE`,
    within.values,
  );
  return rows.map(rowToFolder);
}

/** @throws ER_DUP_ENTRY when the path exists */
export async function insertFolder(tx: Executor, path: string, parentId: string): Promise<string> {
  return String(
    (await change(tx, 'INSERT INTO folders (parent_id, path) VALUES (?, ?)', [parentId, path])).insertId,
  );
}

export async function updateFolderColour(tx: Executor, id: string, colour: string | null): Promise<void> {
  await change(tx, 'UPDATE folders SET colour = ?, revision = revision + 1 WHERE id = ?', [colour, id]);
}

export async function updateFolderRules(tx: Executor, id: string, rules: FolderRules): Promise<void> {
  await change(tx, 'UPDATE folders SET rules = ?, revision = revision + 1 WHERE id = ?', [
    writeJson(rules),
    id,
  ]);
}

/** Sets the new paths of a folder and its subfolders. */
export async function updateFolderPaths(
  tx: Executor,
  { from, to, id, parentId }: { from: string; to: string; id: string; parentId: string },
): Promise<void> {
  const within = withinFolder(from);
  await change(
    tx,
    `UPDATE folders SET path = CONCAT(?, SUBSTRING(path, CHAR_LENGTH(?) + 1)), revision = revision + 1
     WHERE ${within.sql}`,
    [to, from, ...within.values],
  );
  await change(tx, 'UPDATE folders SET parent_id = ? WHERE id = ?', [parentId, id]);
}

/** Changes the counters of a folder's direct contents. */
export async function addToFolder(
  tx: Executor,
  id: string,
  amount: { items: number; bytes: number },
): Promise<void> {
  await change(tx, 'UPDATE folders SET items = items + ?, bytes = bytes + ? WHERE id = ?', [
    amount.items,
    amount.bytes,
    id,
  ]);
}

/** Deletes folders that were created in this transaction. */
export async function deleteNewFolders(tx: Executor, ids: readonly string[]): Promise<void> {
  if (ids.length > 0)
    await changeExpanded(tx, 'DELETE FROM folders WHERE id IN (?) AND items = 0', [[...ids]]);
}

export async function deleteFolderRow(tx: Executor, id: string): Promise<void> {
  await change(tx, 'DELETE FROM folders WHERE id = ?', [id]);
}

/** Tells whether a folder contains anything, including assets in the bin. */
export async function folderHoldsAssets(db: Executor, id: string): Promise<boolean> {
  return (await selectOne(db, 'SELECT id FROM assets WHERE folder_id = ? LIMIT 1', [id])) !== null;
}

/** The target of an old address. */
export interface Forward {
  assetId: string | null;
  folderId: string | null;
}

/** Redirects an old address to an asset or a folder. `path` has the form described in migration 0002. */
export async function putForward(
  tx: Executor,
  path: string,
  target: { assetId: string } | { folderId: string },
): Promise<void> {
  const assetId = 'assetId' in target ? target.assetId : null;
  const folderId = 'folderId' in target ? target.folderId : null;
  await change(
    tx,
    `INSERT INTO forwards (path_hash, path, asset_id, folder_id) VALUES (?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE asset_id = VALUES(asset_id), folder_id = VALUES(folder_id)`,
    [sha256Of(path), path, assetId, folderId],
  );
}

/** Ends a redirect, because its address is in use again. */
export async function deleteForward(tx: Executor, path: string): Promise<void> {
  await change(tx, 'DELETE FROM forwards WHERE path_hash = ?', [sha256Of(path)]);
}

export async function findForward(db: Executor, path: string): Promise<Forward | null> {
  const row = await selectOne<{ asset_id: number | null; folder_id: number | null }>(
    db,
    'SELECT asset_id, folder_id FROM forwards WHERE path_hash = ?',
    [sha256Of(path)],
  );
  return (
    row && {
      assetId: row.asset_id === null ? null : String(row.asset_id),
      folderId: row.folder_id === null ? null : String(row.folder_id),
    }
  );
}

/** Finds which of the paths are old addresses that redirect. */
export async function findForwardedPaths(db: Executor, paths: readonly string[]): Promise<Set<string>> {
  const byHash = new Map(paths.map((path) => [sha256Of(path), path]));
  const rows = await selectExpanded<{ path_hash: string }>(
    db,
    'SELECT path_hash FROM forwards WHERE path_hash IN (?)',
    [[...byHash.keys()]],
  );
  return new Set(rows.map(({ path_hash }) => byHash.get(path_hash) ?? ''));
}

/**
 * Converts stored folders to answers, with totals of their subfolders.
 *
 * @param all every folder at and below the requested ones
 */
export function toFolderAnswers(all: readonly StoredFolder[]): Folder[] {
  const deep = new Map(all.map(({ path, items, bytes }) => [path, { items, bytes }]));
  // From the deepest up, so that each folder's total is complete before it is added to its parent's.
  for (const { path } of [...all].sort((a, b) => b.path.split('/').length - a.path.split('/').length)) {
    const own = deep.get(path);
    const parent = parentPath(path);
    const above = parent === null ? undefined : deep.get(parent);
    if (own && above && path !== '/') {
      above.items += own.items;
      above.bytes += own.bytes;
    }
  }
  const ids = new Map(all.map(({ path, id }) => [path, id]));
  return all.map(({ id, path, colour, items, bytes }) => ({
    id,
    path,
    name: folderName(path),
    colour,
    parent: ids.get(parentPath(path) ?? '') ?? null,
    items,
    bytes,
    deepItems: deep.get(path)?.items ?? items,
    deepBytes: deep.get(path)?.bytes ?? bytes,
  }));
}

function rowToFolder(row: FolderRow): StoredFolder {
  return {
    id: String(row.id),
    path: row.path,
    colour: row.colour,
    items: row.items,
    bytes: row.bytes,
    rules: row.rules === null ? NO_RULES : { ...NO_RULES, ...JSON.parse(row.rules) },
    revision: row.revision,
  };
}
