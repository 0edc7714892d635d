import type { KnownReference } from '@uniferum/core/pages';
import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  type Transaction,
} from '../shared/database.js';
import { groupBy } from '../shared/group.js';
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

/** What was found in a document when it was indexed. */
export interface IndexedDocument extends Pick<StoredDocument, 'stamp' | 'title'> {
  encoding: string;
  /** In the order of their offsets, which are those of bytes. */
  references: KnownReference[];
}

/** With more references, or longer ones, not everything is stored as it was found. */
const MAX_REFERENCES = 2000;
const MAX_ADDRESS = 1999;

/**
 * Reads what was found in documents, by path. Those that could not be read are left out, and so are those in other encodings
 * than UTF-8, those with a base of their own, and those of which not everything is stored.
 */
export async function listIndexed(
  db: Executor,
  sourceId: string,
  paths: readonly string[],
): Promise<Map<string, IndexedDocument>> {
  const indexed = new Map<string, IndexedDocument>();
  if (paths.length === 0) return indexed;
  // One statement sees documents and references as they belong together.
  const rows = await selectExpanded<
    Pick<StoredDocument, 'path' | 'stamp' | 'title'> & { encoding: string; address_count: number } & (
        | { position: number; attribute: string; address: string }
        | { position: null; attribute: null; address: null }
      )
  >(
    db,
    `SELECT path, stamp, title, encoding, address_count, position, attribute, address
     FROM page_documents FORCE INDEX (page_documents_path)
     LEFT JOIN page_references FORCE INDEX (page_references_document) ON page_references.document_id = page_documents.id
     WHERE page_documents.source_id = ? AND path_hash IN (?) AND fault IS NULL AND base IS NULL AND encoding = 'utf-8'
       AND address_count <= ${MAX_REFERENCES}`,
    [sourceId, paths.map(sha256Of)],
  );
  // Sorted by the database, rows with addresses as long as they can be would be put into a table first.
  rows.sort((a, b) => (a.position ?? 0) - (b.position ?? 0));
  for (const [path, some] of groupBy(rows, (row) => row.path)) {
    const [{ stamp, title, encoding, address_count }] = some as [(typeof rows)[number]];
    const references = some.flatMap(({ position: from, attribute, address }) =>
      from === null ? [] : [{ from, attribute, address }],
    );
    const isWhole =
      references.length === address_count && references.every(({ address }) => address.length <= MAX_ADDRESS);
    if (isWhole) indexed.set(path, { stamp, title, encoding, references });
  }
  return indexed;
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
    [to, sha256Of(to), sourceId, sha256Of(from)],
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
