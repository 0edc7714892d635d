import type { AddressRules, Edit } from '@uniferum/core/pages';
import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  selectOne,
  type Transaction,
  writeJson,
} from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';

/** The edits of a document by a run, stored before they are made. */
export interface StoredEdits {
  path: string;
  edits: Edit[];
  before: string;
  after: string;
  state: 'planned' | 'written' | 'undone';
}

interface EditRow {
  path: string;
  edits: string;
  /** Since SHA-1 is used, see `contentDigest`, only rows of earlier releases have what these columns are named for. */
  sha256_before: string;
  sha256_after: string;
  state: StoredEdits['state'];
}

export async function insertRewrite(tx: Transaction, runId: string, rules: AddressRules): Promise<void> {
  await change(tx, 'INSERT INTO page_rewrites (run_id, rules) VALUES (?, ?)', [runId, writeJson(rules)]);
}

export async function findRewrite(db: Executor, runId: string): Promise<AddressRules | null> {
  const row = await selectOne<{ rules: string }>(db, 'SELECT rules FROM page_rewrites WHERE run_id = ?', [
    runId,
  ]);
  return row && JSON.parse(row.rules);
}

/** Reads what a run has planned, written or undone in some documents. */
export async function findEdits(
  db: Executor,
  { runId, sourceId, paths }: { runId: string; sourceId: string; paths: readonly string[] },
): Promise<StoredEdits[]> {
  if (paths.length === 0) return [];
  const rows = await selectExpanded<EditRow>(
    db,
    `SELECT path, edits, sha256_before, sha256_after, state FROM page_edits
     WHERE run_id = ? AND source_id = ? AND path_hash IN (?) ORDER BY path`,
    [runId, sourceId, paths.map(sha256Of)],
  );
  return rows.map(({ path, edits, sha256_before, sha256_after, state }) => ({
    ...{ path, edits: JSON.parse(edits), before: sha256_before, after: sha256_after, state },
  }));
}

/** Stores edits that are about to be made. Those that are stored already stay. */
export async function insertEdits(
  tx: Transaction,
  { runId, sourceId }: { runId: string; sourceId: string },
  planned: readonly Omit<StoredEdits, 'state'>[],
): Promise<void> {
  if (planned.length === 0) return;
  await changeExpanded(
    tx,
    'INSERT IGNORE INTO page_edits (run_id, source_id, path_hash, path, edits, sha256_before, sha256_after, state) VALUES ?',
    [
      planned.map(({ path, edits, before, after }) => [
        ...[runId, sourceId, sha256Of(path), path, writeJson(edits), before, after, 'planned'],
      ]),
    ],
  );
}

export async function updateEditState(
  tx: Transaction,
  { runId, sourceId, paths }: { runId: string; sourceId: string; paths: readonly string[] },
  state: StoredEdits['state'],
): Promise<void> {
  if (paths.length === 0) return;
  await changeExpanded(
    tx,
    'UPDATE page_edits SET state = ? WHERE run_id = ? AND source_id = ? AND path_hash IN (?)',
    [state, runId, sourceId, paths.map(sha256Of)],
  );
}

/** Lists the documents that a run has written, or may have written when it ended, and nobody has undone. */
export async function listUndoable(
  db: Executor,
  runId: string,
): Promise<{ source: string; path: string; references: number }[]> {
  const rows = await select<{ source_id: number; path: string; address_count: number | null }>(
    db,
    `SELECT page_edits.source_id, page_edits.path, page_documents.address_count FROM page_edits
     LEFT JOIN page_documents USING (source_id, path_hash)
     WHERE page_edits.run_id = ? AND page_edits.state <> 'undone' ORDER BY page_edits.source_id, page_edits.path LIMIT 1000000`,
    [runId],
  );
  return rows.map(({ source_id, path, address_count }) => ({
    ...{ source: String(source_id), path, references: address_count ?? 0 },
  }));
}
