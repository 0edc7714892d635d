import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  type Transaction,
} from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';

/** Queues assets whose addresses on pages may have to be rewritten. Those that no page shows are left out. */
export async function queueToFollow(tx: Transaction, assetIds: readonly number[]): Promise<void> {
  if (assetIds.length === 0) return;
  await changeExpanded(
    tx,
    `INSERT INTO assets_to_follow (asset_id) SELECT asset_id FROM asset_uses WHERE asset_id IN (?) AND uses > 0
     ON DUPLICATE KEY UPDATE reference_id = 0`,
    [[...assetIds]],
  );
}

/** An asset in the queue, and the last of its references that was looked at. */
export interface QueuedAsset {
  asset_id: number;
  reference_id: number;
}

/** Takes the first assets of the queue, as long as the transaction lasts. */
export async function lockQueued(tx: Transaction, limit: number): Promise<QueuedAsset[]> {
  return select<QueuedAsset>(
    tx,
    `SELECT asset_id, reference_id FROM assets_to_follow ORDER BY asset_id LIMIT ${limit} FOR UPDATE SKIP LOCKED`,
  );
}

export async function deleteQueued(tx: Transaction, assetIds: readonly number[]): Promise<void> {
  if (assetIds.length === 0) return;
  await changeExpanded(tx, 'DELETE FROM assets_to_follow WHERE asset_id IN (?)', [[...assetIds]]);
}

export async function updateQueued(tx: Transaction, { asset_id, reference_id }: QueuedAsset): Promise<void> {
  await change(tx, 'UPDATE assets_to_follow SET reference_id = ? WHERE asset_id = ?', [
    reference_id,
    asset_id,
  ]);
}

/** A reference to an asset by an address, with what that is resolved against. */
export interface AddressRow {
  id: number;
  source_id: number;
  path: string;
  url: string | null;
  base: string | null;
  address: string;
  place: string;
  asset_id: number;
  recipe: string | null;
  variant: string | null;
}

const SELECT_ADDRESSES = `
  SELECT page_references.id, page_references.source_id, page_documents.path, page_documents.url, page_documents.base,
         page_references.address, page_references.place, page_references.asset_id, page_references.recipe,
         page_references.variant
  FROM page_references JOIN page_documents ON page_documents.id = page_references.document_id`;

/** Lists the references to an asset by an address, from one on. */
export async function listAddressesOf(
  db: Executor,
  { asset_id, reference_id }: QueuedAsset,
  limit: number,
): Promise<AddressRow[]> {
  return select<AddressRow>(
    db,
    `${SELECT_ADDRESSES} WHERE page_references.asset_id = ? AND page_references.id > ? AND page_references.place IS NOT NULL
     ORDER BY page_references.id LIMIT ${limit}`,
    [asset_id, reference_id],
  );
}

/** Lists the references of documents to assets, by an address. */
export async function listAddressesIn(
  db: Executor,
  sourceId: string,
  paths: readonly string[],
): Promise<AddressRow[]> {
  if (paths.length === 0) return [];
  return selectExpanded<AddressRow>(
    db,
    `${SELECT_ADDRESSES} WHERE page_documents.source_id = ? AND page_documents.path_hash IN (?)
       AND page_references.asset_id IS NOT NULL AND page_references.place IS NOT NULL
     ORDER BY page_references.id`,
    [sourceId, paths.map(sha256Of)],
  );
}

/** Reads how documents were when they were indexed. */
export async function readStamps(
  db: Executor,
  sourceId: string,
  paths: readonly string[],
): Promise<Map<string, string>> {
  if (paths.length === 0) return new Map();
  const rows = await selectExpanded<{ path: string; stamp: string }>(
    db,
    'SELECT path, stamp FROM page_documents WHERE source_id = ? AND path_hash IN (?) ORDER BY id',
    [sourceId, paths.map(sha256Of)],
  );
  return new Map(rows.map(({ path, stamp }) => [path, stamp]));
}

/** Finds which places references lead to, by their hashes. */
export async function findUsedPlaces(db: Executor, hashes: readonly string[]): Promise<Set<string>> {
  if (hashes.length === 0) return new Set();
  const rows = await selectExpanded<{ place: string }>(
    db,
    'SELECT DISTINCT place FROM page_references WHERE place IN (?) ORDER BY place',
    [[...hashes]],
  );
  return new Set(rows.map(({ place }) => place));
}
