import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  selectOne,
} from '../shared/database.js';
import { addToTally } from './tallies.js';

/** Counts live assets that begin (1) or cease (-1) to hold blobs. */
export async function countHolders(tx: Executor, digests: readonly string[], sign: 1 | -1): Promise<void> {
  const counts = new Map<string, number>();
  for (const sha256 of digests) counts.set(sha256, (counts.get(sha256) ?? 0) + sign);
  const byChange = new Map<number, string[]>();
  for (const [sha256, difference] of counts)
    byChange.set(difference, [...(byChange.get(difference) ?? []), sha256]);
  for (const [difference, some] of byChange)
    await changeExpanded(tx, 'UPDATE blobs SET holders = holders + ? WHERE sha256 IN (?)', [
      difference,
      some.sort(),
    ]);
}

/** A kept blob, and where it is kept. */
export interface NewBlob {
  sha256: string;
  bytes: number;
  crc32: string;
  store: string;
  key: string;
}

/** Names kept blobs and their copies; what is named already stays. */
export async function insertBlobs(tx: Executor, blobs: readonly NewBlob[]): Promise<void> {
  await changeExpanded(tx, 'INSERT IGNORE INTO blobs (sha256, bytes, crc32) VALUES ?', [
    blobs.map(({ sha256, bytes, crc32 }) => [sha256, bytes, crc32]),
  ]);
  await changeExpanded(tx, 'INSERT IGNORE INTO copies (sha256, store, store_key) VALUES ?', [
    blobs.map(({ sha256, store, key }) => [sha256, store, key]),
  ]);
}

export interface CopyRow {
  sha256: string;
  store: string;
  store_key: string;
}

/** Lists where the bytes are kept. */
export async function findCopies(db: Executor, digests: readonly string[]): Promise<CopyRow[]> {
  if (digests.length === 0) return [];
  return selectExpanded<CopyRow>(
    db,
    'SELECT sha256, store, store_key FROM copies WHERE sha256 IN (?) ORDER BY sha256, store',
    [digests],
  );
}

/** Tells whether a version, a rendition or an archive that is being unpacked holds these bytes. */
export async function isBlobNamed(db: Executor, sha256: string): Promise<boolean> {
  const row = await selectOne(
    db,
    `SELECT 1 FROM asset_versions WHERE sha256 = ?
     UNION ALL SELECT 1 FROM renditions WHERE sha256 = ?
     UNION ALL SELECT 1 FROM removed_renditions WHERE sha256 = ?
     UNION ALL SELECT 1 FROM pictures_on_request WHERE sha256 = ?
     UNION ALL SELECT 1 FROM intakes JOIN runs ON runs.id = intakes.run_id
       WHERE intakes.archive = ? AND runs.state IN ('waiting', 'working', 'stopping', 'stopped')
     LIMIT 1`,
    [sha256, sha256, sha256, sha256, sha256],
  );
  return row !== null;
}

/** Tells which of some bytes have a record. */
export async function findRecorded(db: Executor, digests: readonly string[]): Promise<Set<string>> {
  if (digests.length === 0) return new Set();
  const rows = await selectExpanded<{ sha256: string }>(db, 'SELECT sha256 FROM blobs WHERE sha256 IN (?)', [
    digests,
  ]);
  return new Set(rows.map(({ sha256 }) => sha256));
}

/** Forgets bytes and where they are kept. */
export async function deleteBlob(tx: Executor, sha256: string): Promise<void> {
  const copies = await findCopies(tx, [sha256]);
  const blob = await selectOne<{ bytes: number }>(tx, 'SELECT bytes FROM blobs WHERE sha256 = ?', [sha256]);
  await change(tx, 'DELETE FROM copies WHERE sha256 = ?', [sha256]);
  await change(tx, 'DELETE FROM blobs WHERE sha256 = ?', [sha256]);
  for (const { store } of copies)
    await addToTally(tx, 'store', store, { items: -1, bytes: -(blob?.bytes ?? 0) });
}

/** Lists bytes that nothing holds, as far as can be told without holding them. */
export async function listUnnamedBlobs(
  db: Executor,
  { minAgeHours, limit }: { minAgeHours: number; limit: number },
): Promise<string[]> {
  const rows = await select<{ sha256: string }>(
    db,
    `SELECT sha256 FROM blobs
     WHERE holders = 0 AND created_at < NOW(3) - INTERVAL ? HOUR
       AND NOT EXISTS (SELECT 1 FROM asset_versions WHERE asset_versions.sha256 = blobs.sha256)
       AND NOT EXISTS (SELECT 1 FROM renditions WHERE renditions.sha256 = blobs.sha256)
       AND NOT EXISTS (SELECT 1 FROM removed_renditions WHERE removed_renditions.sha256 = blobs.sha256)
       AND NOT EXISTS (SELECT 1 FROM pictures_on_request WHERE pictures_on_request.sha256 = blobs.sha256)
     ORDER BY sha256
     LIMIT ?`,
    [minAgeHours, limit],
  );
  return rows.map(({ sha256 }) => sha256);
}

/** Holds the record of bytes until the transaction ends. */
export async function lockBlob(tx: Executor, sha256: string): Promise<void> {
  await selectOne(tx, 'SELECT sha256 FROM blobs WHERE sha256 = ? FOR UPDATE', [sha256]);
}
