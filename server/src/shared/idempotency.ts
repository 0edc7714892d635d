import { createHash } from 'node:crypto';
import type { Request } from 'express';
import type { Principal } from '../access/principal.js';
import { change, type Database, selectOne } from './database.js';
import { UniferumError } from './errors.js';
import type { Answer } from './route.js';

/** How long an answer is kept for repeats. */
const KEPT_HOURS = 24;
/** After so long an unfinished request is taken to have died with its server. */
const ABANDONED_MINUTES = 10;

interface KeptRow {
  fingerprint: string | null;
  status: number | null;
  body: string | null;
}

/** What is known of a request that was sent before under the same key. */
export type Earlier = { state: 'new' } | { state: 'answered'; fingerprint: string; answer: Answer };

/** Identifies the request of one principal under one Idempotency-Key. */
export interface RequestKey {
  who: Principal;
  key: string;
  route: string;
}

/** The digest by which a repeated body is recognised. */
export function fingerprintOf(parts: unknown): string {
  return createHash('sha256').update(JSON.stringify(parts)).digest('hex');
}

/** Answers a repeated request with the first answer, and does its work only once. Failures are not kept. */
export async function answerOnce(
  db: Database,
  { who, key, req, work }: { who: Principal; key: string; req: Request; work: () => Promise<Answer> },
): Promise<Answer> {
  const request = { who, key, route: `${req.method} ${req.path}` };
  const fingerprint = fingerprintOf([req.originalUrl, req.body ?? null]);
  const earlier = await beginRequest(db, request);
  if (earlier.state === 'answered') return replay(earlier, fingerprint);
  try {
    const answer = await work();
    await finishRequest(db, request, fingerprint, answer);
    return answer;
  } catch (error) {
    await forgetRequest(db, request);
    throw error;
  }
}

/** Gives the first answer again, if the repeat has the same content. */
export function replay(earlier: Extract<Earlier, { state: 'answered' }>, fingerprint: string): Answer {
  if (earlier.fingerprint !== fingerprint) {
    throw new UniferumError(
      'key-reused',
      'This Idempotency-Key was sent before with another body. Use a new key for a new request.',
    );
  }
  return { ...earlier.answer, headers: { 'Idempotent-Replayed': 'true' } };
}

/**
 * Takes a key for a request that begins now.
 *
 * @throws UniferumError `request-in-progress` while the first one is still being answered
 */
export async function beginRequest(db: Database, { who, key, route }: RequestKey): Promise<Earlier> {
  if (!/^[\x21-\x7e]{1,200}$/.test(key)) {
    throw new UniferumError(
      'malformed-request',
      'An Idempotency-Key has 1 to 200 printable ASCII characters.',
    );
  }
  await change(
    db,
    `DELETE FROM kept_answers
     WHERE started_at < NOW(3) - INTERVAL ${KEPT_HOURS} HOUR
        OR (status IS NULL AND started_at < NOW(3) - INTERVAL ${ABANDONED_MINUTES} MINUTE)
     LIMIT 100`,
  );
  const { affectedRows } = await change(
    db,
    'INSERT IGNORE INTO kept_answers (principal, idempotency_key, route) VALUES (?, ?, ?)',
    [who.ref, key, route.slice(0, 120)],
  );
  if (affectedRows === 1) return { state: 'new' };
  const row = await selectOne<KeptRow>(
    db,
    'SELECT fingerprint, status, body FROM kept_answers WHERE principal = ? AND idempotency_key = ?',
    [who.ref, key],
  );
  if (row === null || row.status === null || row.fingerprint === null) {
    throw new UniferumError(
      'request-in-progress',
      'The first request with this Idempotency-Key has not been answered yet. Ask again in a moment.',
      { retryAfterSeconds: 2 },
    );
  }
  return {
    state: 'answered',
    fingerprint: row.fingerprint,
    answer: { status: row.status, body: row.body === null ? undefined : JSON.parse(row.body) },
  };
}

/** Keeps the answer of a request for its repeats. */
export async function finishRequest(
  db: Database,
  { who, key }: RequestKey,
  fingerprint: string,
  answer: Answer,
): Promise<void> {
  await change(
    db,
    'UPDATE kept_answers SET fingerprint = ?, status = ?, body = ? WHERE principal = ? AND idempotency_key = ?',
    [
      fingerprint,
      answer.status,
      answer.body === undefined ? null : JSON.stringify(answer.body),
      who.ref,
      key,
    ],
  );
}

/** Gives a key free after a failure, so that a repeat tries again. */
export async function forgetRequest(db: Database, { who, key }: RequestKey): Promise<void> {
  await change(
    db,
    'DELETE FROM kept_answers WHERE principal = ? AND idempotency_key = ? AND status IS NULL',
    [who.ref, key],
  );
}
