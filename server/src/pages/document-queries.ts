import { createHash } from 'node:crypto';
import {
  change,
  changeExpanded,
  type Executor,
  isDatabaseError,
  StartOver,
  select,
  selectExpanded,
  type Transaction,
} from '../shared/database.js';
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
  return createHash('sha256').update(text).digest('hex');
}

/** Lists the known documents of a source, in batches by id. */
export async function* listDocuments(
  db: Executor,
  sourceId: string,
): AsyncGenerator<{ id: number; path: string; stamp: string }[]> {
  for (let after = 0; ; ) {
    const rows = await select<{ id: number; path: string; stamp: string }>(
      db,
      'SELECT id, path, stamp FROM page_documents WHERE source_id = ? AND id > ? ORDER BY id LIMIT 2000',
      [sourceId, after],
    );
    const last = rows.at(-1);
    if (last === undefined) return;
    yield rows;
    after = last.id;
  }
}

/** Replaces documents and all their references. */
export async function putDocuments(
  tx: Transaction,
  sourceId: string,
  documents: readonly StoredDocument[],
): Promise<void> {
  if (documents.length === 0) return;
  const paths = documents.map(({ path }) => path);
  const uses = await takeDocuments(tx, await findIds(tx, sourceId, paths));
  const { insertId } = await insertDocuments(tx, sourceId, documents);
  // One statement gets a contiguous range of ids: innodb_autoinc_lock_mode 1 and 2 both guarantee it.
  const rows = documents.flatMap(({ references }, index) =>
    references.map((one) => [
      ...[insertId + index, sourceId, one.position, one.attribute, one.address, one.state, one.reason],
      ...[one.place, one.assetId, one.recipe, one.variant],
    ]),
  );
  for (let at = 0; at < rows.length; at += 1000)
    await changeExpanded(
      tx,
      `INSERT INTO page_references (document_id, source_id, position, attribute, address, state, reason, place, asset_id, recipe, variant)
       VALUES ?`,
      [rows.slice(at, at + 1000)],
    );
  for (const { references } of documents)
    for (const { assetId } of references) if (assetId !== null) uses.add(assetId, 1);
  await addUses(tx, uses);
}

async function insertDocuments(tx: Transaction, sourceId: string, documents: readonly StoredDocument[]) {
  try {
    return await changeExpanded(
      tx,
      'INSERT INTO page_documents (source_id, path, path_hash, stamp, title, url, base, encoding, fault, address_count) VALUES ?',
      [
        documents.map((one) => [
          ...[sourceId, one.path, hashOf(one.path), one.stamp, one.title, one.url],
          ...[one.base?.slice(0, 2000) ?? null, one.encoding, one.fault, one.references.length],
        ]),
      ],
    );
  } catch (error) {
    // Another run has read one of them meanwhile.
    if (isDatabaseError(error, 'ER_DUP_ENTRY')) throw new StartOver();
    throw error;
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
  await addUses(tx, await takeDocuments(tx, ids));
}

/** Deletes documents with all their references. @returns what that changes in the numbers of uses, which are left */
async function takeDocuments(tx: Transaction, ids: readonly number[]): Promise<UseChanges> {
  const uses = new UseChanges();
  if (ids.length === 0) return uses;
  const used = await selectExpanded<{ asset_id: number; uses: number }>(
    tx,
    // By another index it would lock the place where others insert.
    `SELECT asset_id, COUNT(*) AS uses FROM page_references FORCE INDEX (page_references_document)
     WHERE document_id IN (?) AND asset_id IS NOT NULL GROUP BY asset_id FOR UPDATE`,
    [ids],
  );
  for (const one of used) uses.add(one.asset_id, -one.uses);
  await changeExpanded(tx, 'DELETE FROM page_references WHERE document_id IN (?)', [ids]);
  await changeExpanded(tx, 'DELETE FROM page_documents WHERE id IN (?)', [ids]);
  return uses;
}

/** Finds documents by their paths, and locks them. */
async function findIds(db: Executor, sourceId: string, paths: readonly string[]): Promise<number[]> {
  const rows = await selectExpanded<{ id: number }>(
    db,
    `SELECT id FROM page_documents FORCE INDEX (page_documents_path)
     WHERE source_id = ? AND path_hash IN (?) FOR UPDATE`,
    [sourceId, paths.map(hashOf)],
  );
  return rows.map(({ id }) => id);
}
