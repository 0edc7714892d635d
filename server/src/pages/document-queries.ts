import { createHash } from 'node:crypto';
import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  type Transaction,
} from '../shared/database.js';

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
  await deleteDocuments(
    tx,
    await findIds(
      tx,
      sourceId,
      documents.map(({ path }) => path),
    ),
  );
  const { insertId } = await changeExpanded(
    tx,
    'INSERT INTO page_documents (source_id, path, path_hash, stamp, title, url, base, encoding, fault, address_count) VALUES ?',
    [
      documents.map((one) => [
        ...[sourceId, one.path, hashOf(one.path), one.stamp, one.title, one.url],
        ...[one.base?.slice(0, 2000) ?? null, one.encoding, one.fault, one.references.length],
      ]),
    ],
  );
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
  await addUses(
    tx,
    documents.flatMap(({ references }) => references.flatMap(({ assetId }) => assetId ?? [])),
    1,
  );
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
  const used = await selectExpanded<{ asset_id: number }>(
    tx,
    'SELECT asset_id FROM page_references WHERE document_id IN (?) AND asset_id IS NOT NULL FOR UPDATE',
    [ids],
  );
  await changeExpanded(tx, 'DELETE FROM page_references WHERE document_id IN (?)', [ids]);
  await addUses(
    tx,
    used.map(({ asset_id }) => asset_id),
    -1,
  );
  await changeExpanded(tx, 'DELETE FROM page_documents WHERE id IN (?)', [ids]);
}

async function findIds(db: Executor, sourceId: string, paths: readonly string[]): Promise<number[]> {
  const rows = await selectExpanded<{ id: number }>(
    db,
    'SELECT id FROM page_documents WHERE source_id = ? AND path_hash IN (?) FOR UPDATE',
    [sourceId, paths.map(hashOf)],
  );
  return rows.map(({ id }) => id);
}

/** Changes the number of uses of assets: once for each time that one is listed. */
export async function addUses(tx: Transaction, assetIds: readonly number[], sign: 1 | -1): Promise<void> {
  const counts = new Map<number, number>();
  for (const id of assetIds) counts.set(id, (counts.get(id) ?? 0) + 1);
  // A fixed order prevents deadlocks.
  for (const [id, count] of [...counts].sort(([a], [b]) => a - b))
    if (sign === 1)
      await change(
        tx,
        'INSERT INTO asset_uses (asset_id, uses) VALUES (?, ?) ON DUPLICATE KEY UPDATE uses = uses + VALUES(uses)',
        [id, count],
      );
    else
      await change(tx, 'UPDATE asset_uses SET uses = uses - LEAST(uses, ?) WHERE asset_id = ?', [count, id]);
}
