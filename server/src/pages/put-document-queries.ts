import {
  changeExpanded,
  isDatabaseError,
  StartOver,
  selectExpanded,
  type Transaction,
} from '../shared/database.js';
import { groupBy } from '../shared/group.js';
import { sha256Of } from '../shared/sha256.js';
import { addUses, UseChanges } from './asset-use-queries.js';
import { deleteReferences, type StoredDocument, type StoredReference } from './document-queries.js';
import { compareReferences, type KnownReference } from './reference-changes.js';

/** So many references are compared with those that are known; more are deleted and written again. */
const MAX_COMPARED = 20_000;
const ROWS_PER_STATEMENT = 1000;

/** A document with the hash of its path, by which it is found. */
interface HashedDocument extends StoredDocument {
  pathHash: string;
}

/** A document with its row. */
interface PlacedDocument extends HashedDocument {
  id: number;
}

/** The values of a reference in the order of the columns; its id is null for a new row. */
type ReferenceValues = readonly (number | string | null)[];

/**
 * Stores documents with all their references. What is known of them is updated in place: most of it stays, and every
 * reference is in five indexes.
 */
export async function putDocuments(
  tx: Transaction,
  sourceId: string,
  documents: readonly StoredDocument[],
  { isRewritten = false }: { isRewritten?: boolean } = {},
): Promise<void> {
  if (documents.length === 0) return;
  const hashed = documents.map((one) => ({ ...one, pathHash: sha256Of(one.path) }));
  const known = await findKnown(tx, sourceId, hashed);
  const fresh = hashed.filter(({ pathHash }) => !known.has(pathHash));
  const old = hashed.flatMap((one): PlacedDocument[] => {
    const id = known.get(one.pathHash)?.id;
    return id === undefined ? [] : [{ ...one, id }];
  });
  await updateDocuments(tx, sourceId, old);
  const uses = new UseChanges();
  const rows = (await insertDocuments(tx, sourceId, fresh)).flatMap((one) => newRows(sourceId, one, uses));
  const count = [...known.values()].reduce((sum, { address_count }) => sum + address_count, 0);
  if (count <= MAX_COMPARED) rows.push(...(await compareKnown(tx, sourceId, old, { isRewritten, uses })));
  else {
    const ids = old.map(({ id }) => id);
    await deleteReferences(tx, ids, uses);
    rows.push(...old.flatMap((one) => newRows(sourceId, one, uses)));
  }
  await writeReferences(tx, rows);
  await addUses(tx, uses);
}

/** Finds documents, and locks them. @returns them by the hashes of their paths */
async function findKnown(
  tx: Transaction,
  sourceId: string,
  documents: readonly HashedDocument[],
): Promise<Map<string, { id: number; address_count: number }>> {
  const rows = await selectExpanded<{ id: number; path_hash: string; address_count: number }>(
    tx,
    `SELECT id, path_hash, address_count FROM page_documents FORCE INDEX (page_documents_path)
     WHERE source_id = ? AND path_hash IN (?) FOR UPDATE`,
    [sourceId, documents.map(({ pathHash }) => pathHash)],
  );
  return new Map(rows.map((row) => [row.path_hash, row]));
}

const DOCUMENT_COLUMNS =
  'source_id, path, path_hash, stamp, title, url, base, encoding, fault, address_count';

function documentValues(sourceId: string, one: HashedDocument): unknown[] {
  return [
    ...[sourceId, one.path, one.pathHash, one.stamp, one.title, one.url],
    ...[one.base?.slice(0, 2000) ?? null, one.encoding, one.fault, one.references.length],
  ];
}

/** @throws StartOver when another run has read one of them meanwhile */
async function insertDocuments(
  tx: Transaction,
  sourceId: string,
  documents: readonly HashedDocument[],
): Promise<PlacedDocument[]> {
  if (documents.length === 0) return [];
  try {
    const { insertId } = await changeExpanded(
      tx,
      `INSERT INTO page_documents (${DOCUMENT_COLUMNS}) VALUES ?`,
      [documents.map((one) => documentValues(sourceId, one))],
    );
    // One statement gets a contiguous range of ids: innodb_autoinc_lock_mode 1 and 2 both guarantee it.
    return documents.map((one, index) => ({ ...one, id: insertId + index }));
  } catch (error) {
    if (isDatabaseError(error, 'ER_DUP_ENTRY')) throw new StartOver();
    throw error;
  }
}

async function updateDocuments(
  tx: Transaction,
  sourceId: string,
  documents: readonly PlacedDocument[],
): Promise<void> {
  if (documents.length === 0) return;
  await changeExpanded(
    tx,
    `INSERT INTO page_documents (id, ${DOCUMENT_COLUMNS}) VALUES ? ON DUPLICATE KEY UPDATE
       stamp = VALUES(stamp), title = VALUES(title), url = VALUES(url), base = VALUES(base), encoding = VALUES(encoding),
       fault = VALUES(fault), address_count = VALUES(address_count), indexed_at = CURRENT_TIMESTAMP(3)`,
    [documents.map((one) => [one.id, ...documentValues(sourceId, one)])],
  );
}

function newRows(
  sourceId: string,
  { id: documentId, references }: PlacedDocument,
  uses: UseChanges,
): ReferenceValues[] {
  return references.map((one) => {
    if (one.assetId !== null) uses.add(one.assetId, 1);
    return valuesOf(one, { id: null, documentId, sourceId });
  });
}

function valuesOf(
  { position, attribute, address, state, reason, place, assetId, recipe, variant }: StoredReference,
  { id, documentId, sourceId }: { id: number | null; documentId: number; sourceId: string },
): ReferenceValues {
  return [
    id,
    documentId,
    sourceId,
    position,
    attribute,
    address,
    state,
    reason,
    place,
    assetId,
    recipe,
    variant,
  ];
}

/** What is to be written of documents that are known. What they no longer contain is deleted. */
async function compareKnown(
  tx: Transaction,
  sourceId: string,
  documents: readonly PlacedDocument[],
  { isRewritten, uses }: { isRewritten: boolean; uses: UseChanges },
): Promise<ReferenceValues[]> {
  if (documents.length === 0) return [];
  const known = await selectExpanded<KnownReference & { documentId: number }>(
    tx,
    // By another index it would lock the place where others insert.
    `SELECT id, document_id AS documentId, position, attribute, address, state, reason, place, asset_id AS assetId, recipe, variant
     FROM page_references FORCE INDEX (page_references_document) WHERE document_id IN (?) FOR UPDATE`,
    [documents.map(({ id }) => id)],
  );
  // The index gives them almost sorted: sorting them here costs less than in the database.
  known.sort((a, b) => a.id - b.id);
  for (const { assetId } of known) if (assetId !== null) uses.add(assetId, -1);
  const byDocument = groupBy(known, ({ documentId }) => documentId);
  const removed: number[] = [];
  const rows: ReferenceValues[] = [];
  for (const { id: documentId, references } of documents) {
    for (const { assetId } of references) if (assetId !== null) uses.add(assetId, 1);
    const changes = compareReferences(byDocument.get(documentId) ?? [], references, { isRewritten });
    removed.push(...changes.removed);
    for (const one of changes.kept) rows.push(valuesOf(one, { id: one.id, documentId, sourceId }));
    for (const one of changes.added) rows.push(valuesOf(one, { id: null, documentId, sourceId }));
  }
  if (removed.length > 0) await changeExpanded(tx, 'DELETE FROM page_references WHERE id IN (?)', [removed]);
  return rows;
}

const REFERENCE_COLUMNS =
  'document_id, source_id, position, attribute, address, state, reason, place, asset_id, recipe, variant';

async function writeReferences(tx: Transaction, rows: readonly ReferenceValues[]): Promise<void> {
  const [fresh, known] = [rows.filter(([id]) => id === null), rows.filter(([id]) => id !== null)];
  for (const some of inBatches(fresh))
    await changeExpanded(tx, `INSERT INTO page_references (${REFERENCE_COLUMNS}) VALUES ?`, [
      some.map(([, ...values]) => values),
    ]);
  for (const some of inBatches(known))
    await changeExpanded(
      tx,
      `INSERT INTO page_references (id, ${REFERENCE_COLUMNS}) VALUES ? ON DUPLICATE KEY UPDATE
         position = VALUES(position), attribute = VALUES(attribute), address = VALUES(address), state = VALUES(state),
         reason = VALUES(reason), place = VALUES(place), asset_id = VALUES(asset_id), recipe = VALUES(recipe),
         variant = VALUES(variant)`,
      [some],
    );
}

function* inBatches<Row>(rows: readonly Row[]): Generator<Row[]> {
  for (let at = 0; at < rows.length; at += ROWS_PER_STATEMENT) yield rows.slice(at, at + ROWS_PER_STATEMENT);
}
