import { randomBytes } from 'node:crypto';
import { setTimeout as delay } from 'node:timers/promises';
import type { Database } from '../shared/database.js';
import { claimLock, deleteLock, renewLock } from './upload-queries.js';

/** A lock whose server stopped renewing it is free after so long. */
const LEASE_MS = 6000;
const RENEW_MS = 500;
const POLL_MS = 120;
/** So long a request waits for the one before it to let go. */
const PATIENCE_MS = 15_000;

/**
 * Lets one request at a time write an upload, whichever server it comes to. Whoever waits asks the holder to let go: the
 * line of a client that comes again is usually dead.
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

  /** @throws `{ status_code, body }` as the tus server answers it, when the lock can't be had */
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
      // The database is away: the lock runs out by itself.
    });
  }

  async #renew(requestRelease: () => unknown): Promise<void> {
    const state = await renewLock(this.#db, this.#id, this.#token, LEASE_MS).catch(() => null);
    // Somebody waits for it, or has it already because this server was too slow to renew it.
    if (state === 'wanted' || state === 'lost') await requestRelease();
  }
}
