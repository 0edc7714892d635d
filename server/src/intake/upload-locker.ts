import { randomBytes } from 'node:crypto';
import { setTimeout as delay } from 'node:timers/promises';
import type { Database } from '../shared/database.js';
import { claimLock, deleteLock, renewLock } from './upload-queries.js';

/** A lock expires this long after its server stopped renewing it. */
const LEASE_MS = 6000;
const RENEW_MS = 500;
const POLL_MS = 120;
/** How long a request waits for the previous one to release the lock. */
const PATIENCE_MS = 15_000;

/**
 * Lets one request at a time write an upload, across servers. A waiting request asks the holder to release the lock:
 * when a client reconnects, its old connection is usually dead.
 */
export class UploadLocker {
  readonly #db: Database;

  constructor(db: Database) {
    this.#db = db;
  }

  newLock(id: string): UploadLock {
    return new UploadLock(this.#db, id);
  }
}

class UploadLock {
  readonly #db: Database;
  readonly #id: string;
  readonly #token = randomBytes(16).toString('hex');
  #timer: NodeJS.Timeout | null = null;

  constructor(db: Database, id: string) {
    this.#db = db;
    this.#id = id;
  }

  /** @throws `{ status_code, body }` in the tus server's format, when the lock is not available */
  async lock(signal: AbortSignal, requestRelease: () => unknown): Promise<void> {
    const until = Date.now() + PATIENCE_MS;
    while (!(await claimLock(this.#db, this.#id, this.#token, LEASE_MS))) {
      if (signal.aborted || Date.now() > until)
        throw {
          status_code: 423,
          body: 'Another request is writing to this upload. Request its offset in a moment.\n',
        };
      await delay(POLL_MS);
    }
    this.#timer = setInterval(() => void this.#renew(requestRelease), RENEW_MS).unref();
  }

  async unlock(): Promise<void> {
    if (this.#timer) clearInterval(this.#timer);
    this.#timer = null;
    await deleteLock(this.#db, this.#id, this.#token).catch(() => {
      // The database is unavailable; the lock expires by itself.
    });
  }

  async #renew(requestRelease: () => unknown): Promise<void> {
    const state = await renewLock(this.#db, this.#id, this.#token, LEASE_MS).catch(() => null);
    // Another request waits for it, or has taken it because this server renewed it too late.
    if (state === 'wanted' || state === 'lost') await requestRelease();
  }
}
