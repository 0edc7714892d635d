import { createHash } from 'node:crypto';
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

interface FolderRow {
  id: number;
  path: string;
  colour: string | null;
  items: number;
  bytes: number;
  rules: string | null;
  revision: number;
}

/** A folder as it is stored. */
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

/** Finds a folder; with `lock` nobody else changes it until the transaction ends. */
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

/** Finds those of the paths that exist, in the order of their paths. */
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
 * The condition that a folder is another one or lies below it. It is a span and no LIKE: over an index of its binary
 * collation the database's LIKE ends at U+FFFF, and leaves out names that begin with an emoji.
 */
export function withinFolder(path: string): { sql: string; values: string[] } {
  if (path === '/') return { sql: '1 = 1', values: [] };
  // Behind the slash comes the digit 0.
  return {
    sql: '(folders.path = ? OR (folders.path >= ? AND folders.path < ?))',
    values: [path, `${path}/`, `${path}0`],
  };
}

/** Lists a folder and all below it, in the order of their paths. */
export async function listFoldersWithin(db: Executor, path: string): Promise<StoredFolder[]> {
  const within = withinFolder(path);
  const rows = await select<FolderRow>(
    db,
    `SELECT ${COLUMNS} FROM folders WHERE ${within.sql} ORDER BY path LIMIT 100000`,
    within.values,
  );
  return rows.map(rowToFolder);
}

/**
 * Finds the deepest folder on a path that exists, and keeps it from being moved or deleted until the transaction ends;
 * others may do the same.
 */
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

/** Holds folders by their ids until the transaction ends, in the order of their paths. */
export async function lockFolders(tx: Executor, ids: readonly string[]): Promise<StoredFolder[]> {
  const rows = await selectExpanded<FolderRow>(
    tx,
    `SELECT ${COLUMNS} FROM folders WHERE id IN (?) ORDER BY path FOR UPDATE`,
    [[...ids]],
  );
  return rows.map(rowToFolder);
}

/** Holds a folder and all below it until the transaction ends, from the top down. */
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

/** Gives a folder and all below it their new paths. */
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

/** Changes the counts of what lies directly in a folder. */
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

/** Deletes folders that were made in this very transaction. */
export async function deleteNewFolders(tx: Executor, ids: readonly string[]): Promise<void> {
  if (ids.length > 0)
    await changeExpanded(tx, 'DELETE FROM folders WHERE id IN (?) AND items = 0', [[...ids]]);
}

export async function deleteFolderRow(tx: Executor, id: string): Promise<void> {
  await change(tx, 'DELETE FROM folders WHERE id = ?', [id]);
}

/** Tells whether anything, also in the bin, belongs to a folder. */
export async function folderHoldsAssets(db: Executor, id: string): Promise<boolean> {
  return (await selectOne(db, 'SELECT id FROM assets WHERE folder_id = ? LIMIT 1', [id])) !== null;
}

/** What an old address leads to now. */
export interface Forward {
  assetId: string | null;
  folderId: string | null;
}

/** Lets an old address lead to an asset or a folder. `path` is written as migration 0002 says. */
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
    [hashPath(path), path, assetId, folderId],
  );
}

/** Ends a forward, because the address has its thing back. */
export async function deleteForward(tx: Executor, path: string): Promise<void> {
  await change(tx, 'DELETE FROM forwards WHERE path_hash = ?', [hashPath(path)]);
}

export async function findForward(db: Executor, path: string): Promise<Forward | null> {
  const row = await selectOne<{ asset_id: number | null; folder_id: number | null }>(
    db,
    'SELECT asset_id, folder_id FROM forwards WHERE path_hash = ?',
    [hashPath(path)],
  );
  return (
    row && {
      assetId: row.asset_id === null ? null : String(row.asset_id),
      folderId: row.folder_id === null ? null : String(row.folder_id),
    }
  );
}

/** Finds out which of the paths are old addresses that forward. */
export async function findForwardedPaths(db: Executor, paths: readonly string[]): Promise<Set<string>> {
  const byHash = new Map(paths.map((path) => [hashPath(path), path]));
  const rows = await selectExpanded<{ path_hash: string }>(
    db,
    'SELECT path_hash FROM forwards WHERE path_hash IN (?)',
    [[...byHash.keys()]],
  );
  return new Set(rows.map(({ path_hash }) => byHash.get(path_hash) ?? ''));
}

/**
 * Turns stored folders into answers, and adds up what lies below each.
 *
 * @param all every folder at and below those that are asked about
 */
export function toFolderAnswers(all: readonly StoredFolder[]): Folder[] {
  const deep = new Map(all.map(({ path, items, bytes }) => [path, { items, bytes }]));
  // From the deepest up, so that each folder's sum is complete before it is added to the one above.
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

function hashPath(path: string): string {
  return createHash('sha256').update(path).digest('hex');
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
