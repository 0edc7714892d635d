import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  type Transaction,
} from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';
import { addUses, UseChanges } from './asset-use-queries.js';

/** A stored address of a document. */
export interface StoredReference {
  position: number;
  attribute: string;
  address: string;
  state: 'found' | 'broken' | 'outside';
  reason: string | null;
  place: string | null;
  assetId: number | null;
  recipe: string | null;
  variant: string | null;
}

/** A document as it was read. */
export interface StoredDocument {
  path: string;
  stamp: string;
  title: string | null;
  url: string | null;
  /** Its `<base href>`. */
  base: string | null;
  encoding: string | null;
  /** Why it could not be read. */
  fault: string | null;
  references: StoredReference[];
}

export function hashOf(text: string): string {
  return sha256Of(text);
}

/** Lists the known documents of a source, in batches by id. */
export async function* listDocuments(
  db: Executor,
  sourceId: string,
): AsyncGenerator<{ id: number; path: string; stamp: string; address_count: number }[]> {
  for (let after = 0; ; ) {
    const rows = await select<{ id: number; path: string; stamp: string; address_count: number }>(
      db,
      'SELECT id, path, stamp, address_count FROM page_documents WHERE source_id = ? AND id > ? ORDER BY id LIMIT 2000',
      [sourceId, after],
    );
    const last = rows.at(-1);
    if (last === undefined) return;
    yield rows;
    after = last.id;
  }
}

/** Gives a document another path. */
export async function renameDocument(
  tx: Transaction,
  sourceId: string,
  { from, to }: { from: string; to: string },
): Promise<void> {
  await change(
    tx,
    'UPDATE page_documents SET path = ?, path_hash = ? WHERE source_id = ? AND path_hash = ?',
    [to, hashOf(to), sourceId, hashOf(from)],
  );
}

/** Deletes documents with all their references. */
export async function deleteDocuments(tx: Transaction, ids: readonly number[]): Promise<void> {
  if (ids.length === 0) return;
  const uses = new UseChanges();
  await deleteReferences(tx, ids, uses);
  await changeExpanded(tx, 'DELETE FROM page_documents WHERE id IN (?)', [ids]);
  await addUses(tx, uses);
}

/** Deletes the references of documents. What that changes in the numbers of uses is added to `uses`, and left to the caller. */
export async function deleteReferences(
  tx: Transaction,
  documentIds: readonly number[],
  uses: UseChanges,
): Promise<void> {
  const used = await selectExpanded<{ asset_id: number; uses: number }>(
    tx,
    // By another index it would lock the place where others insert.
    `SELECT asset_id, COUNT(*) AS uses FROM page_references FORCE INDEX (page_references_document)
     WHERE document_id IN (?) AND asset_id IS NOT NULL GROUP BY asset_id FOR UPDATE`,
    [documentIds],
  );
  for (const one of used) uses.add(one.asset_id, -one.uses);
  await changeExpanded(tx, 'DELETE FROM page_references WHERE document_id IN (?)', [documentIds]);
}
