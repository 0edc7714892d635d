import { change, changeExpanded, type Database, type Executor, select, selectOne } from './database.js';

/** How long an answer is kept for retries. */
const KEPT_HOURS = 24;

export interface KeptRow {
  fingerprint: string | null;
  status: number | null;
  body: string | null;
  headers: string | null;
}

/** Identifies a request: its sender and its Idempotency-Key. */
export interface RequestName {
  principal: string;
  key: string;
}

/** Deletes expired answers, in batches. */
export async function deleteOldAnswers(db: Executor): Promise<void> {
  await change(
    db,
    `DELETE kept_parts FROM kept_parts
     JOIN kept_answers ON kept_answers.principal = kept_parts.principal AND kept_answers.idempotency_key = kept_parts.idempotency_key
     WHERE kept_answers.started_at < NOW(3) - INTERVAL ${KEPT_HOURS} HOUR`,
  );
  await change(
    db,
    `DELETE FROM kept_answers WHERE started_at < NOW(3) - INTERVAL ${KEPT_HOURS} HOUR ORDER BY started_at LIMIT 500`,
  );
}

/** Claims a request that is new, or whose server stopped renewing its claim. @returns whether it is claimed now */
export async function claimAnswer(
  db: Executor,
  { principal, key }: RequestName,
  claim: { route: string; token: string; leaseMs: number },
): Promise<boolean> {
  const { affectedRows } = await change(
    db,
    `INSERT IGNORE INTO kept_answers (principal, idempotency_key, route, token, lease_until)
     VALUES (?, ?, ?, ?, NOW(3) + INTERVAL ? MICROSECOND)`,
    [principal, key, claim.route, claim.token, claim.leaseMs * 1000],
  );
  if (affectedRows === 1) return true;
  const taken = await change(
    db,
    `UPDATE kept_answers SET token = ?, lease_until = NOW(3) + INTERVAL ? MICROSECOND
     WHERE principal = ? AND idempotency_key = ? AND status IS NULL AND (lease_until IS NULL OR lease_until < NOW(3))`,
    [claim.token, claim.leaseMs * 1000, principal, key],
  );
  return taken.affectedRows === 1;
}

export async function findAnswer(db: Executor, { principal, key }: RequestName): Promise<KeptRow | null> {
  return selectOne<KeptRow>(
    db,
    'SELECT fingerprint, status, body, headers FROM kept_answers WHERE principal = ? AND idempotency_key = ?',
    [principal, key],
  );
}

/** Renews claims. */
export async function renewAnswers(db: Database, tokens: readonly string[], leaseMs: number): Promise<void> {
  if (tokens.length === 0) return;
  await changeExpanded(
    db,
    'UPDATE kept_answers SET lease_until = NOW(3) + INTERVAL ? MICROSECOND WHERE token IN (?) AND status IS NULL',
    [leaseMs * 1000, tokens],
  );
}

/** Locks a claim until the transaction ends. @returns false when it belongs to somebody else by now */
export async function lockAnswer(
  tx: Executor,
  { principal, key }: RequestName,
  token: string,
): Promise<boolean> {
  return (
    (await selectOne(
      tx,
      'SELECT 1 FROM kept_answers WHERE principal = ? AND idempotency_key = ? AND token = ? FOR UPDATE',
      [principal, key, token],
    )) !== null
  );
}

/** Stores an answer. @returns false when the claim was lost */
export async function updateAnswer(
  tx: Executor,
  { principal, key }: RequestName,
  token: string,
  answer: { fingerprint: string; status: number; body: string | null; headers: string | null },
): Promise<boolean> {
  const { affectedRows } = await change(
    tx,
    `UPDATE kept_answers SET fingerprint = ?, status = ?, body = ?, headers = ?, token = NULL, lease_until = NULL
     WHERE principal = ? AND idempotency_key = ? AND token = ?`,
    [answer.fingerprint, answer.status, answer.body, answer.headers, principal, key, token],
  );
  return affectedRows === 1;
}

/** Releases a claim. Completed parts stay recorded, so that a retry does not repeat them. */
export async function releaseAnswer(
  db: Executor,
  { principal, key }: RequestName,
  token: string,
): Promise<void> {
  await change(
    db,
    `UPDATE kept_answers SET token = NULL, lease_until = NULL
     WHERE principal = ? AND idempotency_key = ? AND token = ? AND status IS NULL`,
    [principal, key, token],
  );
}

/** The result of one part of a request: in an upload, of one file. */
export interface KeptPart {
  /** The part's position, from 0. */
  n: number;
  /** Identifies the part in a retry. */
  digest: string;
  result: string;
}

export async function insertParts(
  tx: Executor,
  { principal, key }: RequestName,
  parts: readonly KeptPart[],
): Promise<void> {
  if (parts.length === 0) return;
  await changeExpanded(
    tx,
    'INSERT INTO kept_parts (principal, idempotency_key, n, digest, result) VALUES ?',
    [parts.map(({ n, digest, result }) => [principal, key, n, digest, result])],
  );
}

export async function listParts(db: Executor, { principal, key }: RequestName): Promise<KeptPart[]> {
  return select<KeptPart>(
    db,
    'SELECT n, digest, result FROM kept_parts WHERE principal = ? AND idempotency_key = ? ORDER BY n LIMIT 100000',
    [principal, key],
  );
}
