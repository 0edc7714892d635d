import { placeKey, type RenditionPlace } from '../library/joints.js';
import {
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  selectOne,
  type Transaction,
} from '../shared/database.js';
import { groupBy } from '../shared/group.js';
import { addUses, UseChanges } from './asset-use-queries.js';

/** A reference with its document. */
export interface ReferenceRow {
  id: number;
  source_id: number;
  path: string;
  title: string | null;
  url: string | null;
  position: number;
  attribute: string;
  address: string;
  state: 'found' | 'broken' | 'outside';
  reason: string | null;
  detail: string | null;
  asset_id: number | null;
  recipe: string | null;
  /** Whether it is an address in the text, which can be replaced by another. */
  is_address: number;
}

const SELECT_REFERENCES = `
  SELECT page_references.id, page_references.source_id, page_documents.path, page_documents.title, page_documents.url,
         page_references.position, page_references.attribute, page_references.address, page_references.state,
         page_references.reason, page_references.asset_id, page_references.recipe, page_checks.fault AS detail,
         page_references.place IS NOT NULL AS is_address
  FROM page_references JOIN page_documents ON page_documents.id = page_references.document_id
  LEFT JOIN page_checks ON page_references.reason = 'unreachable'
    AND page_checks.source_id = page_references.source_id AND page_checks.place = page_references.place`;

/** Lists the uses of an asset, from a place on. */
export async function listUses(
  db: Executor,
  assetId: string,
  { after, limit }: { after: number; limit: number },
): Promise<ReferenceRow[]> {
  return select<ReferenceRow>(
    db,
    `${SELECT_REFERENCES} WHERE page_references.asset_id = ? AND page_references.id > ? ORDER BY page_references.id LIMIT ?`,
    [assetId, after, limit + 1],
  );
}

/** Finds broken references by their ids. */
export async function findReferences(db: Executor, ids: readonly string[]): Promise<ReferenceRow[]> {
  return selectExpanded<ReferenceRow>(
    db,
    `${SELECT_REFERENCES} WHERE page_references.id IN (?) AND page_references.state = 'broken' ORDER BY page_references.id`,
    [ids],
  );
}

/** Lists references in a state, of one source or of all. */
export async function listReferences(
  db: Executor,
  { state, source, after, limit }: { state: string; source: string | null; after: number; limit: number },
): Promise<ReferenceRow[]> {
  return select<ReferenceRow>(
    db,
    `${SELECT_REFERENCES}
     WHERE page_references.state = ? ${source === null ? '' : 'AND page_references.source_id = ?'} AND page_references.id > ?
     ORDER BY page_references.id LIMIT ?`,
    [state, ...(source === null ? [] : [source]), after, limit + 1],
  );
}

export async function countReferences(
  db: Executor,
  { state, source }: { state: string; source: string | null },
): Promise<number> {
  const row = await selectOne<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM page_references WHERE state = ? ${source === null ? '' : 'AND source_id = ?'}`,
    [state, ...(source === null ? [] : [source])],
  );
  return row?.n ?? 0;
}

/** Reads how often assets are used; those that never are have no entry. */
export async function readUses(db: Executor, assetIds: readonly number[]): Promise<Map<number, number>> {
  if (assetIds.length === 0) return new Map();
  const rows = await selectExpanded<{ asset_id: number; uses: number }>(
    db,
    'SELECT asset_id, uses FROM asset_uses WHERE asset_id IN (?) AND uses > 0',
    [assetIds],
  );
  return new Map(rows.map(({ asset_id, uses }) => [asset_id, uses]));
}

/** Counts the places that show renditions; those without one have no entry. */
export async function countRenditionUses(
  db: Executor,
  places: readonly RenditionPlace[],
): Promise<Map<string, number>> {
  if (places.length === 0) return new Map();
  const rows = await selectExpanded<RenditionPlace & { n: number }>(
    db,
    `SELECT asset_id AS asset, recipe, COALESCE(variant, '') AS variant, COUNT(*) AS n FROM page_references
     WHERE asset_id IN (?) AND recipe IN (?) GROUP BY asset_id, recipe, variant`,
    [[...new Set(places.map(({ asset }) => asset))], [...new Set(places.map(({ recipe }) => recipe))]],
  );
  const wanted = new Set(places.map(placeKey));
  return new Map(rows.map((row) => [placeKey(row), row.n] as const).filter(([key]) => wanted.has(key)));
}

/** No transaction changes more rows; the cleanup does the rest. */
const MAX_ROWS = 1000;

/** References to an asset that was moved to the bin are broken. */
export async function breakUses(tx: Transaction, assetId: number): Promise<void> {
  await changeExpanded(
    tx,
    `UPDATE page_references SET state = 'broken', reason = 'in-bin' WHERE asset_id = ? AND state = 'found' LIMIT ${MAX_ROWS}`,
    [assetId],
  );
}

/** References to an asset that was restored are as they were. */
export async function mendUses(tx: Transaction, assetId: number): Promise<void> {
  await changeExpanded(
    tx,
    `UPDATE page_references SET state = 'found', reason = NULL WHERE asset_id = ? AND reason = 'in-bin' LIMIT ${MAX_ROWS}`,
    [assetId],
  );
}

/** References to assets that were deleted lead nowhere. */
export async function forgetAssets(tx: Transaction, assetIds: readonly string[]): Promise<void> {
  if (assetIds.length === 0) return;
  await changeExpanded(
    tx,
    `UPDATE page_references SET state = 'broken', reason = 'unknown', asset_id = NULL WHERE asset_id IN (?) LIMIT ${MAX_ROWS}`,
    [assetIds],
  );
  await changeExpanded(tx, 'DELETE FROM asset_uses WHERE asset_id IN (?)', [assetIds]);
}

/** Gives references that led nowhere to the assets that are at their places now. */
export async function claimReferences(tx: Transaction, assetAt: ReadonlyMap<string, number>): Promise<void> {
  const places = [...assetAt.keys()];
  if (places.length === 0) return;
  // Without a lock: most often there are none, and the gap would be locked for those who index.
  const rows = await selectExpanded<{ id: number; place: string }>(
    tx,
    `SELECT id, place FROM page_references WHERE place IN (?) AND asset_id IS NULL ORDER BY id LIMIT ${MAX_ROWS}`,
    [places],
  );
  for (const [place, some] of groupBy(rows, (row) => row.place)) {
    const assetId = assetAt.get(place) as number;
    const { affectedRows } = await changeExpanded(
      tx,
      "UPDATE page_references SET state = 'found', reason = NULL, asset_id = ? WHERE id IN (?) AND asset_id IS NULL",
      [assetId, some.map(({ id }) => id)],
    );
    await addUses(tx, new UseChanges().add(assetId, affectedRows));
  }
}

/** Finds references whose state is not that of their asset: more than one transaction changes. */
export async function listStaleReferences(
  db: Executor,
): Promise<{ id: number; asset_id: number; live: number | null; is_there: number }[]> {
  return select(
    db,
    `SELECT page_references.id, page_references.asset_id, assets.live, assets.id IS NOT NULL AS is_there
     FROM page_references LEFT JOIN assets ON assets.id = page_references.asset_id
     WHERE page_references.asset_id IS NOT NULL
       AND (assets.id IS NULL OR (assets.live IS NULL AND page_references.state = 'found')
            OR (assets.live = 1 AND page_references.reason = 'in-bin'))
     ORDER BY page_references.id LIMIT ${MAX_ROWS}`,
  );
}

/** Lists sources that were deleted before all of their documents were. */
export async function listDeletedSources(db: Executor): Promise<string[]> {
  const rows = await select<{ source_id: number }>(
    db,
    `SELECT DISTINCT source_id FROM page_documents
     WHERE NOT EXISTS (SELECT 1 FROM page_sources WHERE page_sources.id = page_documents.source_id)
     ORDER BY source_id LIMIT 100`,
  );
  return rows.map(({ source_id }) => String(source_id));
}
