import type { AuditReason } from '@uniferum/core/copies';
import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  type Transaction,
} from '../shared/database.js';

/** A finding to record. `storeId` 0 is the home store. */
export interface NewFinding {
  reason: AuditReason;
  key: string;
  sha256: string | null;
  copyId: number | null;
  assetId: number | null;
  bytes: number | null;
}

export interface FindingRow {
  id: number;
  store_id: number;
  run_id: number;
  reason: AuditReason;
  store_key: string;
  sha256: string | null;
  copy_id: number | null;
  asset_id: number | null;
  asset_name: string | null;
  bytes: number | null;
  found_at: Date;
}

/** A copy as far as audits need it. */
export interface AuditedCopy {
  id: number;
  asset_id: number;
  sha256: string;
  state: string;
  store_key: string;
  bytes: number;
  etag: string | null;
}

const AUDITED = 'id, asset_id, sha256, state, store_key, bytes, etag';

/** Finds the copies at keys of a store, by the hashes of the keys. */
export async function findCopiesAt(
  db: Executor,
  storeId: number,
  hashes: readonly Buffer[],
): Promise<AuditedCopy[]> {
  if (hashes.length === 0) return [];
  return selectExpanded<AuditedCopy>(
    db,
    `SELECT ${AUDITED} FROM placed_copies WHERE store_id = ? AND key_hash IN (?)`,
    [storeId, [...hashes]],
  );
}

/** Lists the ids of copies that should be stored and were recorded before a moment, in pages. */
export async function listStoredIds(
  db: Executor,
  storeId: number,
  { after, before, limit }: { after: number; before: Date; limit: number },
): Promise<number[]> {
  const rows = await select<{ id: number }>(
    db,
    `SELECT id FROM placed_copies FORCE INDEX (placed_copies_state)
     WHERE store_id = ? AND state = 'stored' AND id > ? AND checked_at <= ? ORDER BY id LIMIT ?`,
    [storeId, after, before, limit],
  );
  return rows.map(({ id }) => id);
}

/** Which of the keys are those of objects that are about to be deleted. */
export async function findDiscardedKeys(
  db: Executor,
  storeId: number,
  keys: readonly string[],
): Promise<Set<string>> {
  if (keys.length === 0) return new Set();
  const rows = await selectExpanded<{ store_key: string }>(
    db,
    'SELECT store_key FROM discarded_objects WHERE store_id = ? AND store_key IN (?)',
    [storeId, [...keys]],
  );
  return new Set(rows.map(({ store_key }) => store_key));
}

/** The blobs recorded in the home store, in pages by digest. */
export async function listHomeCopies(
  db: Executor,
  home: string,
  { after, before, limit }: { after: string; before: Date; limit: number },
): Promise<{ sha256: string; bytes: number }[]> {
  return select(
    db,
    `SELECT copies.sha256, blobs.bytes FROM copies JOIN blobs ON blobs.sha256 = copies.sha256
     WHERE copies.store = ? AND copies.left_at IS NULL AND copies.sha256 > ? AND copies.created_at <= ? ORDER BY copies.sha256 LIMIT ?`,
    [home, after, before, limit],
  );
}

/** Deletes what earlier audits of a store found. */
export async function deleteFindings(tx: Transaction, storeId: number): Promise<void> {
  await change(tx, 'DELETE FROM audit_findings WHERE store_id = ?', [storeId]);
}

const INSERTED_TOGETHER = 500;

export async function insertFindings(
  tx: Transaction,
  { storeId, run }: { storeId: number; run: string },
  findings: readonly NewFinding[],
): Promise<void> {
  for (let at = 0; at < findings.length; at += INSERTED_TOGETHER)
    await changeExpanded(
      tx,
      'INSERT INTO audit_findings (store_id, run_id, reason, store_key, sha256, copy_id, asset_id, bytes) VALUES ?',
      [
        findings
          .slice(at, at + INSERTED_TOGETHER)
          .map(({ reason, key, sha256, copyId, assetId, bytes }) => [
            ...[storeId, run, reason, key, sha256, copyId, assetId, bytes],
          ]),
      ],
    );
}

const FINDINGS = `SELECT found.id, found.store_id, found.run_id, found.reason, found.store_key, found.sha256, found.copy_id,
    found.asset_id, assets.name AS asset_name, found.bytes, found.found_at
  FROM audit_findings AS found LEFT JOIN assets ON assets.id = found.asset_id`;

/** Lists what was found in a store, in pages by id. */
export async function listFindings(
  db: Executor,
  storeId: number,
  { after, limit, reasons }: { after: number; limit: number; reasons?: readonly AuditReason[] | undefined },
): Promise<FindingRow[]> {
  return selectExpanded<FindingRow>(
    db,
    `${FINDINGS} WHERE found.store_id = ? AND found.id > ? ${reasons ? 'AND found.reason IN (?)' : ''}
     ORDER BY found.id LIMIT ?`,
    [storeId, after, ...(reasons ? [[...reasons]] : []), limit],
  );
}

export async function findFinding(db: Executor, id: number): Promise<FindingRow | null> {
  const [row] = await select<FindingRow>(db, `${FINDINGS} WHERE found.id = ?`, [id]);
  return row ?? null;
}

export async function deleteFinding(tx: Executor, id: number): Promise<void> {
  await change(tx, 'DELETE FROM audit_findings WHERE id = ?', [id]);
}

export async function countFindings(
  db: Executor,
  storeId: number,
): Promise<{ reason: AuditReason; n: number }[]> {
  return select(db, 'SELECT reason, COUNT(*) AS n FROM audit_findings WHERE store_id = ? GROUP BY reason', [
    storeId,
  ]);
}

/** The asset that holds some bytes as a version or rendition, for findings about the home store. */
export async function findHolder(db: Executor, sha256: string): Promise<number | null> {
  const [row] = await select<{ asset_id: number }>(
    db,
    `(SELECT asset_id FROM asset_versions WHERE sha256 = ? LIMIT 1)
     UNION ALL (SELECT asset_id FROM renditions WHERE sha256 = ? LIMIT 1) LIMIT 1`,
    [sha256, sha256],
  );
  return row?.asset_id ?? null;
}
