import { change, type Executor, selectOne, writeJson } from '../shared/database.js';
import type { UploadOutcome } from './upload-outcome.js';

/** Records that a principal started a resumable upload. */
export async function insertUpload(db: Executor, id: string, principal: string): Promise<void> {
  await change(db, 'INSERT INTO uploads (id, principal) VALUES (?, ?)', [id, principal]);
}

/** Finds an upload of a principal; null when there is none. Its result is null until it is complete. */
export async function findUpload(
  db: Executor,
  id: string,
  principal: string,
): Promise<{ result: UploadOutcome | null } | null> {
  const row = await selectOne<{ result: string | null }>(
    db,
    'SELECT result FROM uploads WHERE id = ? AND principal = ?',
    [id, principal],
  );
  return row && { result: row.result === null ? null : JSON.parse(row.result) };
}

/** Claims an upload in order to finish it, unless somebody else has. @returns whether it is claimed */
export async function claimUpload(
  db: Executor,
  id: string,
  token: string,
  leaseMs: number,
): Promise<boolean> {
  const { affectedRows } = await change(
    db,
    `UPDATE uploads SET token = ?, lease_until = NOW(3) + INTERVAL ? MICROSECOND
     WHERE id = ? AND result IS NULL AND (lease_until IS NULL OR lease_until < NOW(3) OR token = ?)`,
    [token, leaseMs * 1000, id, token],
  );
  return affectedRows === 1;
}

/** Releases a claim without a result. */
export async function releaseUpload(db: Executor, id: string, token: string): Promise<void> {
  await change(db, 'UPDATE uploads SET token = NULL, lease_until = NULL WHERE id = ? AND token = ?', [
    id,
    token,
  ]);
}

/** Records the result of a claimed upload. @returns false when the claim was lost */
export async function updateUploadResult(
  tx: Executor,
  id: string,
  token: string,
  outcome: UploadOutcome,
): Promise<boolean> {
  const { affectedRows } = await change(
    tx,
    'UPDATE uploads SET result = ?, token = NULL, lease_until = NULL WHERE id = ? AND token = ? AND result IS NULL',
    [writeJson(outcome), id, token],
  );
  return affectedRows === 1;
}

/** Deletes records of uploads that were begun 30 days ago: their files came in, or were dropped, long before. @returns how many */
export async function deleteOldUploads(db: Executor): Promise<number> {
  await change(db, 'DELETE FROM upload_locks WHERE lease_until < NOW(3) - INTERVAL 1 DAY LIMIT 1000');
  const { affectedRows } = await change(
    db,
    `DELETE FROM uploads WHERE created_at < NOW(3) - INTERVAL 30 DAY
       AND (lease_until IS NULL OR lease_until < NOW(3)) LIMIT 1000`,
  );
  return affectedRows;
}

/** Takes a lock that is free or expired; otherwise asks its holder to release it. @returns whether it was taken */
export async function claimLock(db: Executor, id: string, token: string, leaseMs: number): Promise<boolean> {
  await change(
    db,
    `INSERT INTO upload_locks (id, token, lease_until) VALUES (?, ?, NOW(3) + INTERVAL ? MICROSECOND)
     ON DUPLICATE KEY UPDATE
       token = IF(lease_until < NOW(3), VALUES(token), token),
       is_wanted = IF(lease_until < NOW(3), 0, 1),
       lease_until = IF(lease_until < NOW(3), VALUES(lease_until), lease_until)`,
    [id, token, leaseMs * 1000],
  );
  return (await selectOne(db, 'SELECT 1 FROM upload_locks WHERE id = ? AND token = ?', [id, token])) !== null;
}

/** Renews a lock. @returns whether somebody waits for it, or it was lost */
export async function renewLock(
  db: Executor,
  id: string,
  token: string,
  leaseMs: number,
): Promise<'held' | 'wanted' | 'lost'> {
  await change(
    db,
    'UPDATE upload_locks SET lease_until = NOW(3) + INTERVAL ? MICROSECOND WHERE id = ? AND token = ?',
    [leaseMs * 1000, id, token],
  );
  const row = await selectOne<{ is_wanted: number }>(
    db,
    'SELECT is_wanted FROM upload_locks WHERE id = ? AND token = ?',
    [id, token],
  );
  if (row === null) return 'lost';
  return row.is_wanted ? 'wanted' : 'held';
}

export async function deleteLock(db: Executor, id: string, token: string): Promise<void> {
  await change(db, 'DELETE FROM upload_locks WHERE id = ? AND token = ?', [id, token]);
}
