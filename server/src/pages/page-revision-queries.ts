import { change, type Executor, select, selectOne, type Transaction, writeJson } from '../shared/database.js';
import type { PageContent, SitePage } from './site-page.js';

/** One state of a page. */
export interface PageRevision extends PageContent {
  revision: number;
  isAutosaved: boolean;
  savedBy: string;
  savedAt: Date;
}

interface RevisionRow {
  revision: number;
  title: string;
  body: string;
  slots: string;
  regions: string;
  is_autosaved: number;
  saved_by: string;
  saved_at: Date;
}

export async function findRevision(
  db: Executor,
  pageId: string,
  revision: number,
): Promise<PageRevision | null> {
  const row = await selectOne<RevisionRow>(
    db,
    `SELECT revision, title, body, slots, regions, is_autosaved, saved_by, saved_at
     FROM site_page_revisions WHERE page_id = ? AND revision = ?`,
    [pageId, revision],
  );
  return (
    row && {
      ...{ revision: row.revision, title: row.title, body: row.body },
      slots: JSON.parse(row.slots),
      regions: JSON.parse(row.regions),
      isAutosaved: row.is_autosaved === 1,
      savedBy: row.saved_by,
      savedAt: row.saved_at,
    }
  );
}

export type RevisionSummary = Pick<
  PageRevision,
  'revision' | 'title' | 'isAutosaved' | 'savedBy' | 'savedAt'
>;

/** Reads the newest revisions before one, without their content. */
export async function listRevisions(
  db: Executor,
  pageId: string,
  { before, limit }: { before: number | null; limit: number },
): Promise<RevisionSummary[]> {
  const rows = await select<Omit<RevisionRow, 'body' | 'slots' | 'regions'>>(
    db,
    `SELECT revision, title, is_autosaved, saved_by, saved_at FROM site_page_revisions
     WHERE page_id = ? ${before === null ? '' : 'AND revision < ?'} ORDER BY revision DESC LIMIT ?`,
    [pageId, ...(before === null ? [] : [before]), limit + 1],
  );
  return rows.map(({ revision, title, is_autosaved, saved_by, saved_at }) => ({
    ...{ revision, title, savedBy: saved_by, savedAt: saved_at },
    isAutosaved: is_autosaved === 1,
  }));
}

export async function countRevisions(db: Executor, pageId: string): Promise<number> {
  const row = await selectOne<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM site_page_revisions WHERE page_id = ?',
    [pageId],
  );
  return row?.n ?? 0;
}

/** Stores the next revision of a locked page, and makes it the current one. */
export async function insertRevision(
  tx: Transaction,
  page: Pick<SitePage, 'id' | 'revision'>,
  { content, by, isAutosaved }: { content: PageContent; by: string; isAutosaved: boolean },
): Promise<number> {
  const revision = page.revision + 1;
  await change(
    tx,
    `INSERT INTO site_page_revisions (page_id, revision, title, body, slots, regions, is_autosaved, saved_by)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
    [
      ...[
        page.id,
        revision,
        content.title,
        content.body,
        writeJson(content.slots),
        writeJson(content.regions),
      ],
      ...[isAutosaved ? 1 : 0, by],
    ],
  );
  await change(
    tx,
    'UPDATE site_pages SET revision = ?, title = ?, updated_by = ?, updated_at = NOW(3) WHERE id = ?',
    [revision, content.title, by, page.id],
  );
  return revision;
}

/** Deletes the autosaved revision before the current one, if the same person went on writing within ten minutes. */
export async function foldAutosave(
  tx: Transaction,
  page: Pick<SitePage, 'id' | 'revision' | 'publishedRevision'>,
  by: string,
): Promise<void> {
  await change(
    tx,
    `DELETE FROM site_page_revisions WHERE page_id = ? AND revision = ? AND is_autosaved = 1 AND saved_by = ?
       AND saved_at > NOW(3) - INTERVAL 10 MINUTE AND revision <> ?`,
    [page.id, page.revision, by, page.publishedRevision ?? 0],
  );
}

const PRESENT_S = 45;

/** Notes that somebody edits a page. @returns who else does */
export async function noteEditor(db: Executor, pageId: string, who: string): Promise<string[]> {
  await change(
    db,
    `INSERT INTO site_page_editors (page_id, who, seen_at) VALUES (?, ?, NOW(3))
     ON DUPLICATE KEY UPDATE seen_at = VALUES(seen_at)`,
    [pageId, who],
  );
  const rows = await select<{ who: string }>(
    db,
    `SELECT who FROM site_page_editors WHERE page_id = ? AND who <> ? AND seen_at > NOW(3) - INTERVAL ${PRESENT_S} SECOND
     ORDER BY who LIMIT 20`,
    [pageId, who],
  );
  return rows.map((row) => row.who);
}

export async function forgetEditor(db: Executor, pageId: string, who: string): Promise<void> {
  await change(db, 'DELETE FROM site_page_editors WHERE page_id = ? AND who = ?', [pageId, who]);
}
