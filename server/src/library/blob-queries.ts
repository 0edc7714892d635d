import { addToCounter } from '../shared/counters.js';
import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  selectOne,
} from '../shared/database.js';
import type { BlobHolder } from './blob-holder.js';

/** Counts live assets that start (1) or stop (-1) referencing blobs. */
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

/** A stored blob, and where it is stored. */
export interface NewBlob {
  sha256: string;
  bytes: number;
  crc32: string;
  store: string;
  key: string;
}

/**
 * Records blobs and locks them until the transaction ends; existing records stay. An update without changes takes an
 * exclusive lock, whereas ignoring a duplicate would take a lock that two transactions can share.
 */
export async function holdBlobs(
  tx: Executor,
  blobs: readonly Pick<NewBlob, 'sha256' | 'bytes' | 'crc32'>[],
): Promise<void> {
  if (blobs.length === 0) return;
  await changeExpanded(
    tx,
    'INSERT INTO blobs (sha256, bytes, crc32) VALUES ? ON DUPLICATE KEY UPDATE crc32 = VALUES(crc32)',
    [blobs.map(({ sha256, bytes, crc32 }) => [sha256, bytes, crc32])],
  );
}

/** Deletes the records of locked blobs that are stored nowhere. */
export async function deleteUnkept(tx: Executor, digests: readonly string[]): Promise<void> {
  if (digests.length === 0) return;
  await changeExpanded(
    tx,
    `DELETE FROM blobs WHERE sha256 IN (?) AND holders = 0
       AND NOT EXISTS (SELECT 1 FROM copies WHERE copies.sha256 = blobs.sha256)`,
    [[...digests]],
  );
}

/** Records where locked blobs are stored, also where they were before. */
export async function insertCopies(tx: Executor, blobs: readonly NewBlob[]): Promise<void> {
  await changeExpanded(
    tx,
    `INSERT INTO copies (sha256, store, store_key) VALUES ?
     ON DUPLICATE KEY UPDATE created_at = IF(left_at IS NULL, created_at, NOW(3)), left_at = NULL, damaged_at = NULL`,
    [blobs.map(({ sha256, store, key }) => [sha256, store, key])],
  );
}

export interface CopyRow {
  sha256: string;
  store: string;
  store_key: string;
  /** Since when it is known to be missing or damaged. */
  damaged_at: Date | null;
}

/** Lists where the bytes are stored; not where they were deleted because they are stored elsewhere. */
export async function findCopies(db: Executor, digests: readonly string[]): Promise<CopyRow[]> {
  if (digests.length === 0) return [];
  return selectExpanded<CopyRow>(
    db,
    'SELECT sha256, store, store_key, damaged_at FROM copies WHERE sha256 IN (?) AND left_at IS NULL ORDER BY sha256, store',
    [digests],
  );
}

/** What is recorded about some bytes, wherever they are stored. */
export async function findBlob(
  db: Executor,
  sha256: string,
): Promise<{ bytes: number; crc32: string } | null> {
  return selectOne(db, 'SELECT bytes, crc32 FROM blobs WHERE sha256 = ?', [sha256]);
}

/** Versions of assets reference their bytes. */
export const VERSION_BLOBS: BlobHolder = { table: 'asset_versions', column: 'sha256' };

/** Tells whether anything references these bytes. */
export async function isBlobReferenced(
  db: Executor,
  holders: readonly BlobHolder[],
  sha256: string,
): Promise<boolean> {
  const parts = holders.map(
    ({ table, column, where = '1 = 1' }) =>
      `SELECT 1 FROM ${table} WHERE ${table}.${column} = ? AND ${where}`,
  );
  const row = await selectOne(
    db,
    `${parts.join(' UNION ALL ')} LIMIT 1`,
    holders.map(() => sha256),
  );
  return row !== null;
}

/** Finds which of the digests have a record. */
export async function findRecorded(db: Executor, digests: readonly string[]): Promise<Set<string>> {
  if (digests.length === 0) return new Set();
  const rows = await selectExpanded<{ sha256: string }>(db, 'SELECT sha256 FROM blobs WHERE sha256 IN (?)', [
    digests,
  ]);
  return new Set(rows.map(({ sha256 }) => sha256));
}

/** Deletes the record of a blob and of where it is stored. */
export async function deleteBlob(tx: Executor, sha256: string): Promise<void> {
  const copies = await findCopies(tx, [sha256]);
  const blob = await selectOne<{ bytes: number }>(tx, 'SELECT bytes FROM blobs WHERE sha256 = ?', [sha256]);
  await change(tx, 'DELETE FROM copies WHERE sha256 = ?', [sha256]);
  await change(tx, 'DELETE FROM blobs WHERE sha256 = ?', [sha256]);
  for (const { store } of copies)
    await addToCounter(tx, 'store', store, { items: -1, bytes: -(blob?.bytes ?? 0) });
}

/** Lists unreferenced blobs, as far as can be told without locks. */
export async function listUnreferencedBlobs(
  db: Executor,
  holders: readonly BlobHolder[],
  { minAgeHours, limit }: { minAgeHours: number; limit: number },
): Promise<string[]> {
  const parts = holders.map(
    ({ table, column, where = '1 = 1' }) =>
      `AND NOT EXISTS (SELECT 1 FROM ${table} WHERE ${table}.${column} = blobs.sha256 AND ${where})`,
  );
  const rows = await select<{ sha256: string }>(
    db,
    `SELECT sha256 FROM blobs
     WHERE holders = 0 AND created_at < NOW(3) - INTERVAL ? HOUR ${parts.join(' ')}
     ORDER BY sha256
     LIMIT ?`,
    [minAgeHours, limit],
  );
  return rows.map(({ sha256 }) => sha256);
}

/** Locks the record of a blob until the transaction ends. */
export async function lockBlob(tx: Executor, sha256: string): Promise<void> {
  await selectOne(tx, 'SELECT sha256 FROM blobs WHERE sha256 = ? FOR UPDATE', [sha256]);
}
