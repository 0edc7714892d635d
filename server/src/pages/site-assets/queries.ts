import { keyHash } from '../../copies/copy-queries.js';
import type { StoreObject } from '../../library/joints.js';
import {
  change,
  changeExpanded,
  type Executor,
  refuseDuplicate,
  select,
  selectExpanded,
  selectOne,
  type Transaction,
} from '../../shared/database.js';
import { groupBy } from '../../shared/group.js';

/** A folder of a site whose files are placed in a store. */
export interface SiteFolder {
  id: string;
  name: string;
  /** On this server. */
  folder: string;
  /** Where the site serves it, with a slash at its end. */
  url: string;
  storeId: number;
  rewritePages: boolean;
  release: string | null;
  placedAt: Date | null;
  /** The base address in the store that pages were given. */
  pageBase: string | null;
  revision: number;
}

interface FolderRow {
  id: number;
  name: string;
  folder: string;
  url: string;
  store_id: number;
  rewrite_pages: number;
  release_id: string | null;
  placed_at: Date | null;
  page_base: string | null;
  revision: number;
}

const FOLDER_COLUMNS =
  'id, name, folder, url, store_id, rewrite_pages, release_id, placed_at, page_base, revision';

function toFolder(row: FolderRow): SiteFolder {
  return {
    ...{ id: String(row.id), name: row.name, folder: row.folder, url: row.url, storeId: row.store_id },
    ...{ rewritePages: row.rewrite_pages === 1, release: row.release_id, placedAt: row.placed_at },
    ...{ pageBase: row.page_base, revision: row.revision },
  };
}

export async function listSiteFolders(db: Executor): Promise<SiteFolder[]> {
  const rows = await select<FolderRow>(
    db,
    `SELECT ${FOLDER_COLUMNS} FROM site_folders ORDER BY name LIMIT 1000`,
  );
  return rows.map(toFolder);
}

export async function findSiteFolder(
  db: Executor,
  id: string,
  { lock = false } = {},
): Promise<SiteFolder | null> {
  const row = await selectOne<FolderRow>(
    db,
    `SELECT ${FOLDER_COLUMNS} FROM site_folders WHERE id = ?${lock ? ' FOR UPDATE' : ''}`,
    [id],
  );
  return row && toFolder(row);
}

type FolderSettings = Pick<SiteFolder, 'name' | 'folder' | 'url' | 'rewritePages'>;

export async function insertSiteFolder(
  tx: Transaction,
  { name, folder, url, storeId, rewritePages }: FolderSettings & Pick<SiteFolder, 'storeId'>,
): Promise<string> {
  const { insertId } = await change(
    tx,
    'INSERT INTO site_folders (name, folder, url, store_id, rewrite_pages) VALUES (?, ?, ?, ?, ?)',
    [name, folder, url, storeId, rewritePages],
  ).catch(refuseTaken(name));
  return String(insertId);
}

export async function updateSiteFolder(
  tx: Transaction,
  id: string,
  { name, folder, url, rewritePages }: FolderSettings,
): Promise<void> {
  await change(
    tx,
    'UPDATE site_folders SET name = ?, folder = ?, url = ?, rewrite_pages = ?, revision = revision + 1 WHERE id = ?',
    [name, folder, url, rewritePages, id],
  ).catch(refuseTaken(name));
}

function refuseTaken(name: string): (error: unknown) => never {
  return refuseDuplicate(`There are already site assets called "${name}". Choose another name.`);
}

export async function deleteSiteFolder(tx: Transaction, id: string): Promise<void> {
  await change(tx, 'DELETE FROM site_folders WHERE id = ?', [id]);
  await change(tx, 'UPDATE site_files SET replaced_at = COALESCE(replaced_at, NOW(3)) WHERE folder_id = ?', [
    id,
  ]);
}

/** A file of a release. */
export interface SiteFile {
  id: number;
  folder_id: number;
  release_id: string;
  path: string;
  store_id: number;
  store_key: string;
  sha256: string;
  /** As the attribute of that name takes it. */
  integrity: string;
  bytes: number;
  mime: string;
  stored_at: Date | null;
  replaced_at: Date | null;
}

const FILE_COLUMNS =
  'id, folder_id, release_id, path, store_id, store_key, sha256, integrity, bytes, mime, stored_at, replaced_at';

const FILES_AT_A_TIME = 500;

/** Records the files of a release before they are stored; those that are known stay. */
export async function insertSiteFiles(
  tx: Transaction,
  files: readonly Omit<SiteFile, 'id' | 'stored_at' | 'replaced_at'>[],
): Promise<void> {
  for (let at = 0; at < files.length; at += FILES_AT_A_TIME)
    await changeExpanded(
      tx,
      'INSERT IGNORE INTO site_files (folder_id, release_id, path, store_id, store_key, sha256, integrity, bytes, mime) VALUES ?',
      [
        files
          .slice(at, at + FILES_AT_A_TIME)
          .map((one) => [
            ...[one.folder_id, one.release_id, one.path, one.store_id, one.store_key, one.sha256],
            ...[one.integrity, one.bytes, one.mime],
          ]),
      ],
    );
}

/** Lists the files of a release by path, after one. */
export async function listSiteFiles(
  db: Executor,
  { folder, release, after = '', limit }: { folder: string; release: string; after?: string; limit: number },
): Promise<SiteFile[]> {
  return select<SiteFile>(
    db,
    `SELECT ${FILE_COLUMNS} FROM site_files WHERE folder_id = ? AND release_id = ? AND path > ? ORDER BY path LIMIT ?`,
    [folder, release, after, limit],
  );
}

/** Lists the files of all releases of a folder that are still stored. */
export async function listAllSiteFiles(db: Executor, folder: string): Promise<SiteFile[]> {
  return select<SiteFile>(
    db,
    `SELECT ${FILE_COLUMNS} FROM site_files WHERE folder_id = ? ORDER BY id LIMIT 200000`,
    [folder],
  );
}

/** Counts the files of the current releases, by folder. */
export async function countSiteFiles(db: Executor): Promise<Map<string, { files: number; bytes: number }>> {
  const rows = await select<{ folder_id: number; files: number; bytes: number | string }>(
    db,
    `SELECT site_files.folder_id, COUNT(*) AS files, SUM(site_files.bytes) AS bytes
     FROM site_files JOIN site_folders
       ON site_folders.id = site_files.folder_id AND site_folders.release_id = site_files.release_id
     GROUP BY site_files.folder_id`,
  );
  return new Map(
    rows.map(({ folder_id, files, bytes }) => [String(folder_id), { files, bytes: Number(bytes) }]),
  );
}

/** A release that is placed again is no longer replaced. */
export async function clearReplaced(tx: Transaction, folder: string, release: string): Promise<void> {
  await change(tx, 'UPDATE site_files SET replaced_at = NULL WHERE folder_id = ? AND release_id = ?', [
    folder,
    release,
  ]);
}

export async function updateStored(
  db: Executor,
  ids: readonly number[],
  { isStored = true } = {},
): Promise<void> {
  if (ids.length === 0) return;
  const time = isStored ? 'NOW(3)' : 'NULL';
  await changeExpanded(db, `UPDATE site_files SET stored_at = ${time} WHERE id IN (?)`, [[...ids]]);
}

/** Makes a release the current one. The files of all others are replaced from now on. */
export async function updateRelease(tx: Transaction, folder: string, release: string): Promise<void> {
  await change(
    tx,
    'UPDATE site_folders SET release_id = ?, placed_at = NOW(3), revision = revision + 1 WHERE id = ?',
    [release, folder],
  );
  await change(
    tx,
    `UPDATE site_files SET replaced_at = IF(release_id = ?, NULL, COALESCE(replaced_at, NOW(3))) WHERE folder_id = ?`,
    [release, folder],
  );
}

export async function updatePageBase(tx: Transaction, folder: string, base: string): Promise<void> {
  await change(tx, 'UPDATE site_folders SET page_base = ? WHERE id = ?', [base, folder]);
}

const IS_ORPHAN = 'NOT EXISTS (SELECT 1 FROM site_folders WHERE site_folders.id = site_files.folder_id)';

/** Lists files that were replaced some days ago, or whose folder is deleted. */
export async function listReplaced(
  db: Executor,
  { days, after, limit }: { days: number; after: number; limit: number },
): Promise<SiteFile[]> {
  return select<SiteFile>(
    db,
    `SELECT ${FILE_COLUMNS} FROM site_files
     WHERE id > ? AND (replaced_at < NOW(3) - INTERVAL ? DAY OR ${IS_ORPHAN})
     ORDER BY id LIMIT ?`,
    [after, days, limit],
  );
}

/** Leaves out those that a release has again. */
export async function listReplacedAmong(db: Executor, ids: readonly number[]): Promise<SiteFile[]> {
  return selectExpanded<SiteFile>(
    db,
    `SELECT ${FILE_COLUMNS} FROM site_files WHERE id IN (?) AND (replaced_at IS NOT NULL OR ${IS_ORPHAN}) ORDER BY id`,
    [[...ids]],
  );
}

export async function deleteSiteFiles(tx: Transaction, ids: readonly number[]): Promise<void> {
  if (ids.length === 0) return;
  await changeExpanded(tx, 'DELETE FROM site_files WHERE id IN (?)', [[...ids]]);
}

/** Finds which objects of stores are files of releases. */
export async function findSiteObjects(db: Executor, objects: readonly StoreObject[]): Promise<StoreObject[]> {
  const found: StoreObject[] = [];
  for (const [storeId, some] of groupBy(objects, (object) => object.storeId)) {
    const keys = new Set(some.map(({ key }) => key));
    const rows = await selectExpanded<{ store_key: string }>(
      db,
      'SELECT store_key FROM site_files WHERE store_id = ? AND key_hash IN (?) ORDER BY id',
      [storeId, [...keys].map(keyHash)],
    );
    for (const { store_key } of rows) if (keys.has(store_key)) found.push({ storeId, key: store_key });
  }
  return found;
}
