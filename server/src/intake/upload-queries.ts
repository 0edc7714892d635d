import { change, type Executor, selectOne, type Transaction } from '../shared/database.js';
import type { UploadOutcome } from './resumable.js';

/** Writes down that somebody began a resumable upload. */
export async function insertUpload(db: Executor, id: string, principal: string): Promise<void> {
  await change(db, 'INSERT INTO uploads (id, principal) VALUES (?, ?)', [id, principal]);
}

/** Writes down what came of a resumable upload. */
export async function updateUploadResult(db: Executor, id: string, outcome: UploadOutcome): Promise<void> {
  await change(db, 'UPDATE uploads SET result = ? WHERE id = ?', [JSON.stringify(outcome), id]);
}

/** Finds an upload of a principal; null when there is none. Its result is null until it has arrived whole. */
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
  return row && readResult(row);
}

/** Holds an upload until the transaction ends, so that it is finished once. */
export async function lockUpload(
  tx: Transaction,
  id: string,
): Promise<{ result: UploadOutcome | null } | null> {
  const row = await selectOne<{ result: string | null }>(
    tx,
    'SELECT result FROM uploads WHERE id = ? FOR UPDATE',
    [id],
  );
  return row && readResult(row);
}

function readResult({ result }: { result: string | null }): { result: UploadOutcome | null } {
  return { result: result === null ? null : JSON.parse(result) };
}
