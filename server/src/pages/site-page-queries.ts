import {
  change,
  type Executor,
  refuseDuplicate,
  select,
  selectOne,
  type Transaction,
} from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';
import type { SitePage } from './site-page.js';

interface PageRow {
  id: number;
  type: string;
  parent_id: number | null;
  slug: string;
  path: string;
  title: string;
  in_navigation: number;
  position: number;
  revision: number;
  published_revision: number | null;
  published_at: Date | null;
  updated_by: string;
  updated_at: Date;
}

const COLUMNS =
  'id, type, parent_id, slug, path, title, in_navigation, position, revision, published_revision, published_at, updated_by, updated_at';

function toPage(row: PageRow): SitePage {
  return {
    ...{ id: String(row.id), type: row.type, slug: row.slug, path: row.path, title: row.title },
    parentId: row.parent_id === null ? null : String(row.parent_id),
    inNavigation: row.in_navigation === 1,
    position: row.position,
    revision: row.revision,
    publishedRevision: row.published_revision,
    publishedAt: row.published_at,
    updatedBy: row.updated_by,
    updatedAt: row.updated_at,
  };
}

/** A selection of pages; null for any. */
export interface PageFilter {
  q: string | null;
  isPublished: boolean | null;
}

function conditionOf({ q, isPublished }: PageFilter) {
  const parts = ['1 = 1'];
  const values: string[] = [];
  if (q !== null) {
    const pattern = `%${q.replace(/[\\%_]/g, '\\$&')}%`;
    parts.push('(title LIKE ? OR path LIKE ?)');
    values.push(pattern, pattern);
  }
  if (isPublished !== null) parts.push(`published_revision IS ${isPublished ? 'NOT NULL' : 'NULL'}`);
  return { sql: parts.join(' AND '), values };
}

/** Reads pages by path, with one more than `limit`. */
export async function listSitePages(
  db: Executor,
  filter: PageFilter,
  { after, limit }: { after: string | null; limit: number },
): Promise<SitePage[]> {
  const { sql, values } = conditionOf(filter);
  const rows = await select<PageRow>(
    db,
    `SELECT ${COLUMNS} FROM site_pages WHERE ${sql} ${after === null ? '' : 'AND path > ?'} ORDER BY path LIMIT ?`,
    [...values, ...(after === null ? [] : [after]), limit + 1],
  );
  return rows.map(toPage);
}

export async function countSitePages(db: Executor, filter: PageFilter): Promise<number> {
  const { sql, values } = conditionOf(filter);
  const row = await selectOne<{ n: number }>(db, `SELECT COUNT(*) AS n FROM site_pages WHERE ${sql}`, values);
  return row?.n ?? 0;
}

export async function findSitePage(
  db: Executor,
  id: string,
  { lock = false } = {},
): Promise<SitePage | null> {
  const row = await selectOne<PageRow>(
    db,
    `SELECT ${COLUMNS} FROM site_pages WHERE id = ?${lock ? ' FOR UPDATE' : ''}`,
    [id],
  );
  return row && toPage(row);
}

export async function findSitePageAt(db: Executor, path: string): Promise<SitePage | null> {
  const row = await selectOne<PageRow>(db, `SELECT ${COLUMNS} FROM site_pages WHERE path_hash = ?`, [
    sha256Of(path),
  ]);
  return row && toPage(row);
}

/** Finds the page that was at a path before, and where it is now; null when there was none. */
export async function findMovedPage(db: Executor, path: string): Promise<SitePage | null> {
  const row = await selectOne<PageRow>(
    db,
    `SELECT ${COLUMNS} FROM site_pages
     WHERE id = (SELECT page_id FROM site_page_paths WHERE path_hash = ?)`,
    [sha256Of(path)],
  );
  return row && toPage(row);
}

export async function listChildren(db: Executor, id: string): Promise<SitePage[]> {
  const rows = await select<PageRow>(
    db,
    `SELECT ${COLUMNS} FROM site_pages WHERE parent_id = ? ORDER BY position, id LIMIT 1000`,
    [id],
  );
  return rows.map(toPage);
}

/** Where a page is in the site. */
export type PagePlace = Pick<SitePage, 'type' | 'parentId' | 'slug' | 'path' | 'inNavigation' | 'position'>;

/** @throws UniferumError `conflict` when another page has the path */
export async function insertSitePage(
  tx: Transaction,
  place: PagePlace,
  { title, by }: { title: string; by: string },
): Promise<string> {
  const { type, parentId, slug, path, inNavigation, position } = place;
  const { insertId } = await change(
    tx,
    `INSERT INTO site_pages (type, parent_id, slug, path, path_hash, title, in_navigation, position, revision, updated_by)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, 0, ?)`,
    [type, parentId, slug, path, sha256Of(path), title, inNavigation ? 1 : 0, position, by],
  ).catch(refuseTaken(path));
  return String(insertId);
}

/** @throws UniferumError `conflict` when another page has the path */
export async function updatePlace(tx: Transaction, id: string, place: PagePlace): Promise<void> {
  const { type, parentId, slug, path, inNavigation, position } = place;
  await change(
    tx,
    `UPDATE site_pages SET type = ?, parent_id = ?, slug = ?, path = ?, path_hash = ?, in_navigation = ?, position = ?
     WHERE id = ?`,
    [type, parentId, slug, path, sha256Of(path), inNavigation ? 1 : 0, position, id],
  ).catch(refuseTaken(path));
}

/** Keeps the path that a page leaves: it leads to the page from now on, and no longer to one that left it before. */
export async function insertOldPath(
  tx: Transaction,
  { id, path }: Pick<SitePage, 'id' | 'path'>,
): Promise<void> {
  await change(tx, 'REPLACE INTO site_page_paths (path_hash, path, page_id) VALUES (?, ?, ?)', [
    sha256Of(path),
    path,
    id,
  ]);
}

function refuseTaken(path: string): (error: unknown) => never {
  return refuseDuplicate(`There is a page at ${path} already. Choose another slug.`);
}

export async function updatePublished(tx: Transaction, id: string, revision: number | null): Promise<void> {
  await change(
    tx,
    `UPDATE site_pages SET published_revision = ?, published_at = IF(? IS NULL, NULL, NOW(3)), updated_at = NOW(3)
     WHERE id = ?`,
    [revision, revision, id],
  );
}

export async function deleteSitePage(tx: Transaction, id: string): Promise<void> {
  await change(tx, 'DELETE FROM site_page_revisions WHERE page_id = ?', [id]);
  await change(tx, 'DELETE FROM site_page_editors WHERE page_id = ?', [id]);
  await change(tx, 'DELETE FROM site_page_paths WHERE page_id = ?', [id]);
  await change(tx, 'DELETE FROM site_pages WHERE id = ?', [id]);
}

/** Counts the broken references of pages, by path. */
export async function countBroken(db: Executor, paths: readonly string[]): Promise<Map<string, number>> {
  if (paths.length === 0) return new Map();
  const rows = await select<{ path: string; n: number }>(
    db,
    `SELECT page_documents.path, COUNT(*) AS n FROM page_documents
     JOIN page_sources ON page_sources.id = page_documents.source_id AND page_sources.kind = 'pages'
     JOIN page_references ON page_references.document_id = page_documents.id AND page_references.state = 'broken'
     WHERE page_documents.path_hash IN (${paths.map(() => '?').join(', ')}) GROUP BY page_documents.path`,
    paths.map(sha256Of),
  );
  return new Map(rows.map(({ path, n }) => [path, n]));
}
