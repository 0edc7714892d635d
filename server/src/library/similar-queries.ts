import { bandProbes, hashBands, hashDistance, type SimilarPair } from '@uniferum/core/library';
import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  selectOne,
} from '../shared/database.js';

/** The largest distance for which pairs are stored; the view of similar pictures shows those up to its threshold. */
export const MAX_KEPT_DISTANCE = 10;
const MAX_NEAR = 2000;

/** Finds live pictures whose hash differs from a picture's by at most so many bits, including itself, nearest first. */
export async function findNear(db: Executor, id: string, distance: number): Promise<number[]> {
  const row = await selectOne<{ phash: string | null }>(db, 'SELECT phash FROM assets WHERE id = ?', [id]);
  if (!row?.phash) return [];
  const found = await findNearHash(db, row.phash, distance);
  return found.slice(0, MAX_NEAR).map((one) => one.id);
}

async function findNearHash(
  db: Executor,
  phash: string,
  distance: number,
): Promise<{ id: number; distance: number }[]> {
  const probes = bandProbes(phash, distance);
  const rows = await selectExpanded<{ id: number; phash: string }>(
    db,
    `SELECT DISTINCT assets.id, assets.phash
     FROM asset_bands
     JOIN assets ON assets.id = asset_bands.asset_id
     WHERE (${probes.map((_, band) => `(asset_bands.band = ${band} AND asset_bands.value IN (?))`).join(' OR ')})
       AND assets.live = 1 AND assets.phash IS NOT NULL`,
    probes,
  );
  return rows
    .map((row) => ({ id: row.id, distance: hashDistance(phash, row.phash) }))
    .filter((row) => row.distance <= distance)
    .sort((a, b) => a.distance - b.distance || a.id - b.id);
}

/** Stores a picture's hash, and the pairs it forms with earlier pictures. */
export async function updateHash(tx: Executor, id: string, phash: string): Promise<void> {
  await change(tx, 'UPDATE assets SET phash = ? WHERE id = ?', [phash, id]);
  await change(tx, 'DELETE FROM asset_bands WHERE asset_id = ?', [id]);
  await change(tx, 'DELETE FROM similar_pairs WHERE a = ? OR b = ?', [id, id]);
  const near = (await findNearHash(tx, phash, MAX_KEPT_DISTANCE)).filter((one) => String(one.id) !== id);
  await changeExpanded(tx, 'INSERT IGNORE INTO asset_bands (band, value, asset_id) VALUES ?', [
    hashBands(phash).map((value, band) => [band, value, id]),
  ]);
  if (near.length === 0) return;
  await changeExpanded(tx, 'INSERT IGNORE INTO similar_pairs (a, b, distance) VALUES ?', [
    near
      .slice(0, MAX_NEAR)
      .map((one) => [Math.min(one.id, Number(id)), Math.max(one.id, Number(id)), one.distance]),
  ]);
}

/** Lists pairs of similar live pictures, nearest first. */
export async function listSimilarPairs(
  db: Executor,
  distance: number,
  limit: number,
): Promise<SimilarPair[]> {
  const rows = await select<{ a: number; b: number; distance: number }>(
    db,
    `SELECT similar_pairs.a, similar_pairs.b, similar_pairs.distance
     FROM similar_pairs
     JOIN assets AS older ON older.id = similar_pairs.a AND older.live = 1
     JOIN assets AS newer ON newer.id = similar_pairs.b AND newer.live = 1
     WHERE similar_pairs.distance <= ?
     ORDER BY similar_pairs.distance, similar_pairs.a, similar_pairs.b
     LIMIT ?`,
    [distance, limit],
  );
  return rows.map(({ a, b, distance: bits }) => ({ a: String(a), b: String(b), distance: bits }));
}

/** Lists groups of live assets with the same bytes, largest waste first. */
export async function listDuplicateGroups(db: Executor, limit: number): Promise<string[][]> {
  const rows = await select<{ ids: string }>(
    db,
    `SELECT GROUP_CONCAT(assets.id ORDER BY assets.id) AS ids
     FROM blobs FORCE INDEX (blobs_holders)
     STRAIGHT_JOIN assets ON assets.sha256 = blobs.sha256 AND assets.live = 1
     WHERE blobs.holders > 1
     GROUP BY blobs.sha256
     ORDER BY MAX(blobs.bytes * (blobs.holders - 1)) DESC
     LIMIT ?`,
    [limit],
  );
  return rows.map(({ ids }) => ids.split(','));
}
