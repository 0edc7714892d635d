import { change, type Executor, select, selectOne, type Transaction } from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';
import { deleteDocuments } from './document-queries.js';

/** The key of an address that leads out of the library. Keys of media addresses begin with a slash before they are hashed. */
export function placeOfUrl(url: string): string {
  return sha256Of(`url ${url}`);
}

/** Takes the next turn of a site. @returns how long to wait for it, in milliseconds */
export async function reserveRequest(tx: Transaction, sourceId: string, intervalMs: number): Promise<number> {
  await change(
    tx,
    `UPDATE page_sources SET next_request_at = GREATEST(COALESCE(next_request_at, NOW(6)), NOW(6)) + INTERVAL ? MICROSECOND
     WHERE id = ?`,
    [Math.round(intervalMs * 1000), sourceId],
  );
  const row = await selectOne<{ us: number }>(
    tx,
    'SELECT TIMESTAMPDIFF(MICROSECOND, NOW(6), next_request_at) AS us FROM page_sources WHERE id = ?',
    [sourceId],
  );
  return Math.max(0, Number(row?.us ?? 0) / 1000 - intervalMs);
}

export async function updateCrawlRun(tx: Transaction, sourceId: string, runId: string): Promise<void> {
  await change(tx, 'UPDATE page_sources SET crawl_run = ? WHERE id = ?', [runId, sourceId]);
}

export async function findCrawlRun(db: Executor, sourceId: string): Promise<string | null> {
  const row = await selectOne<{ crawl_run: number | null }>(
    db,
    'SELECT crawl_run FROM page_sources WHERE id = ?',
    [sourceId],
  );
  return row?.crawl_run == null ? null : String(row.crawl_run);
}

/** A page as it was when it was read last. */
export interface KnownPage {
  id: number;
  stamp: string;
  base: string | null;
}

export function findPage(db: Executor, sourceId: string, path: string): Promise<KnownPage | null> {
  return selectOne<KnownPage>(
    db,
    'SELECT id, stamp, base FROM page_documents WHERE source_id = ? AND path_hash = ? AND fault IS NULL',
    [sourceId, sha256Of(path)],
  );
}

/** The addresses in a page, as they are written. */
export function listAddresses(
  db: Executor,
  documentId: number,
): Promise<{ attribute: string; address: string; place: string | null }[]> {
  return select(
    db,
    'SELECT attribute, address, place FROM page_references WHERE document_id = ? ORDER BY position LIMIT 20000',
    [documentId],
  );
}

export async function markSeen(
  tx: Transaction,
  { sourceId, path, runId }: { sourceId: string; path: string; runId: string },
): Promise<void> {
  await change(tx, 'UPDATE page_documents SET seen_run = ? WHERE source_id = ? AND path_hash = ?', [
    runId,
    sourceId,
    sha256Of(path),
  ]);
}

/** Deletes a page with its references. */
export async function deletePage(tx: Transaction, sourceId: string, path: string): Promise<void> {
  const row = await selectOne<{ id: number }>(
    tx,
    'SELECT id FROM page_documents WHERE source_id = ? AND path_hash = ? FOR UPDATE',
    [sourceId, sha256Of(path)],
  );
  if (row) await deleteDocuments(tx, [row.id]);
}

/** Lists pages that a crawl did not find. */
export async function listUnseen(db: Executor, sourceId: string, runId: string): Promise<number[]> {
  const rows = await select<{ id: number }>(
    db,
    'SELECT id FROM page_documents WHERE source_id = ? AND (seen_run IS NULL OR seen_run < ?) ORDER BY id LIMIT 50',
    [sourceId, runId],
  );
  return rows.map(({ id }) => id);
}

/** Keeps what came of asking for an address, and tells it to all references that lead there. */
export async function putCheck(
  tx: Transaction,
  { sourceId, place, runId }: { sourceId: string; place: string; runId: string },
  fault: string | null,
): Promise<void> {
  await change(
    tx,
    `INSERT INTO page_checks (source_id, place, fault, run_id) VALUES (?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE fault = VALUES(fault), run_id = VALUES(run_id)`,
    [sourceId, place, fault?.slice(0, 200) ?? null, runId],
  );
  if (fault === null)
    await change(
      tx,
      `UPDATE page_references SET state = 'outside', reason = NULL
       WHERE place = ? AND asset_id IS NULL AND source_id = ? AND reason = 'unreachable' LIMIT 1000`,
      [place, sourceId],
    );
  else
    await change(
      tx,
      `UPDATE page_references SET state = 'broken', reason = 'unreachable'
       WHERE place = ? AND asset_id IS NULL AND source_id = ? AND state = 'outside' LIMIT 1000`,
      [place, sourceId],
    );
}

/** References of a page to addresses that were found missing before it was read. */
export async function applyChecks(tx: Transaction, sourceId: string, path: string): Promise<void> {
  await change(
    tx,
    `UPDATE page_references
     JOIN page_documents ON page_documents.id = page_references.document_id
     JOIN page_checks ON page_checks.source_id = page_references.source_id AND page_checks.place = page_references.place
     SET page_references.state = 'broken', page_references.reason = 'unreachable'
     WHERE page_documents.source_id = ? AND page_documents.path_hash = ? AND page_references.state = 'outside'
       AND page_checks.fault IS NOT NULL`,
    [sourceId, sha256Of(path)],
  );
}

/** Forgets what earlier crawls found out, up to a thousand: nothing refers to it now. @returns how many */
export async function deleteOldChecks(tx: Transaction, sourceId: string, runId: string): Promise<number> {
  const { affectedRows } = await change(
    tx,
    'DELETE FROM page_checks WHERE source_id = ? AND run_id < ? LIMIT 1000',
    [sourceId, runId],
  );
  return affectedRows;
}

/** Forgets what came of asking for the addresses of a source that was deleted, up to a thousand. @returns how many */
export async function deleteChecks(tx: Transaction, sourceId: string): Promise<number> {
  const { affectedRows } = await change(tx, 'DELETE FROM page_checks WHERE source_id = ? LIMIT 1000', [
    sourceId,
  ]);
  return affectedRows;
}
