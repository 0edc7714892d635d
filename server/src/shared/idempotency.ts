import { randomBytes } from 'node:crypto';
import type { Request } from 'express';
import type { Logger } from 'pino';
import type { Answer } from './answer.js';
import { type Database, type Executor, type Transaction, writeJson } from './database.js';
import { UniferumError } from './errors.js';
import {
  claimAnswer,
  deleteOldAnswers,
  findAnswer,
  insertParts,
  type KeptPart,
  listParts,
  lockAnswer,
  type RequestName,
  releaseAnswer,
  renewAnswers,
  updateAnswer,
} from './idempotency-queries.js';
import { type PooledDatabase, retryDeadlocks } from './pooled-database.js';
import type { Principal } from './principal.js';
import { RequestDatabase } from './request-database.js';
import { sha256Of } from './sha256.js';

const CLEANING_MS = 600_000;

/** The digest by which the body of a retry is recognised. */
export function fingerprintOf(parts: unknown): string {
  return sha256Of(JSON.stringify(parts));
}

/** A stored answer. */
export interface StoredResponse {
  fingerprint: string;
  answer: Answer;
}

/** Sends the stored answer if the retry has the same content. @throws UniferumError `key-reused` */
export function replay({ fingerprint, answer }: StoredResponse, repeated: string): Answer {
  if (fingerprint !== repeated) throw keyReused();
  return { ...answer, headers: { ...answer.headers, 'Idempotent-Replayed': 'true' } };
}

export function keyReused(): UniferumError {
  return new UniferumError(
    'key-reused',
    'This Idempotency-Key was used with another body. Use a new key for a new request.',
  );
}

/**
 * Stores the answers of requests with an Idempotency-Key. The server processing a request holds a claim that is
 * renewed every few seconds; if the server dies, the claim expires, and a retry takes over.
 */
export class Idempotency {
  readonly #db: PooledDatabase;
  readonly #leases: Database;
  readonly #leaseMs: number;
  readonly #held = new Set<string>();
  readonly #log: Logger;
  #timer: NodeJS.Timeout | null = null;
  #cleanedAt = 0;

  /** @param leases a dedicated pool, so that claims are renewed however busy the other pool is */
  constructor(db: PooledDatabase, leases: Database, log: Logger, { leaseMs }: { leaseMs: number }) {
    this.#db = db;
    this.#leases = leases;
    this.#log = log;
    this.#leaseMs = leaseMs;
  }

  /** Claims a request for this server. @throws UniferumError `request-in-progress` while another one processes it */
  async claim(who: Principal, key: string, route: string): Promise<StoredResponse | Claim> {
    if (!/^[\x21-\x7e]{1,200}$/.test(key))
      throw new UniferumError(
        'malformed-request',
        'An Idempotency-Key has 1 to 200 printable ASCII characters.',
      );
    await this.#clean();
    const name: RequestName = { principal: who.ref, key };
    const token = randomBytes(16).toString('hex');
    this.#hold(token);
    try {
      if (await claimAnswer(this.#db, name, { route: route.slice(0, 120), token, leaseMs: this.#leaseMs }))
        return new Claim(this.#db, name, token, () => this.#held.delete(token));
    } catch (error) {
      this.#held.delete(token);
      throw error;
    }
    this.#held.delete(token);
    const row = await findAnswer(this.#db, name);
    if (row === null || row.status === null || row.fingerprint === null)
      throw new UniferumError(
        'request-in-progress',
        'The first request with this Idempotency-Key is still in progress. Try again in a moment.',
        { retryAfterSeconds: Math.max(1, Math.ceil(this.#leaseMs / 5000)) },
      );
    return {
      fingerprint: row.fingerprint,
      answer: {
        status: row.status,
        body: row.body === null ? undefined : JSON.parse(row.body),
        ...(row.headers !== null && { headers: JSON.parse(row.headers) }),
      },
    };
  }

  /**
   * Answers a retry with the stored answer, and runs `work` only once: its writes and the answer are committed
   * together. Failures are not stored.
   */
  async answerOnce(
    { who, key, req }: { who: Principal; key: string; req: Request },
    work: (db: Database) => Promise<Answer>,
  ): Promise<Answer> {
    const fingerprint = fingerprintOf([req.originalUrl, req.body ?? null]);
    const claim = await this.claim(who, key, `${req.method} ${req.path}`);
    if (!(claim instanceof Claim)) return replay(claim, fingerprint);
    try {
      return await retryDeadlocks(async () => {
        const db = new RequestDatabase(this.#db);
        try {
          const answer = await work(db);
          await claim.keep(db, fingerprint, answer);
          await db.finish();
          return answer;
        } finally {
          await db.end();
        }
      });
    } finally {
      await claim.release();
    }
  }

  close(): void {
    if (this.#timer) clearInterval(this.#timer);
    this.#timer = null;
  }

  #hold(token: string): void {
    this.#held.add(token);
    this.#timer ??= setInterval(() => {
      renewAnswers(this.#leases, [...this.#held], this.#leaseMs).catch((error) =>
        this.#log.warn({ err: error }, 'claims of requests could not be renewed'),
      );
    }, this.#leaseMs / 3).unref();
  }

  async #clean(): Promise<void> {
    if (Date.now() - this.#cleanedAt < CLEANING_MS) return;
    this.#cleanedAt = Date.now();
    await deleteOldAnswers(this.#db);
  }
}

/** The claim to process one request with an Idempotency-Key. */
export class Claim {
  readonly #db: Database;
  readonly #name: RequestName;
  readonly #token: string;
  readonly #letGo: () => void;

  constructor(db: Database, name: RequestName, token: string, letGo: () => void) {
    this.#db = db;
    this.#name = name;
    this.#token = token;
    this.#letGo = letGo;
  }

  /** The results of an earlier attempt. */
  parts(): Promise<KeptPart[]> {
    return listParts(this.#db, this.#name);
  }

  /** Records completed parts of the request, in the same transaction. @throws UniferumError when the claim was lost */
  async recordParts(tx: Transaction, parts: readonly KeptPart[]): Promise<void> {
    if (!(await lockAnswer(tx, this.#name, this.#token))) throw lost();
    await insertParts(tx, this.#name, parts);
  }

  /** Stores the answer, in the same commit as its effect. @throws UniferumError when the claim was lost */
  async keep(db: Executor, fingerprint: string, { status, body, headers }: Answer): Promise<void> {
    const isKept = await updateAnswer(db, this.#name, this.#token, {
      fingerprint,
      status,
      body: body === undefined ? null : writeJson(body),
      headers: headers === undefined ? null : writeJson(headers),
    });
    if (!isKept) throw lost();
  }

  /** Ends the claim. A request without an answer can be retried at once. */
  async release(): Promise<void> {
    this.#letGo();
    await releaseAnswer(this.#db, this.#name, this.#token).catch(() => {
      // The database is unavailable; the claim expires by itself.
    });
  }
}

function lost(): UniferumError {
  return new UniferumError(
    'request-in-progress',
    'Another server took over this request because this one did not respond in time. Try again in a moment.',
    { retryAfterSeconds: 2 },
  );
}
