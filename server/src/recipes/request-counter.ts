import type { Logger } from 'pino';
import type { Database } from '../shared/database.js';
import { addRequests } from './surplus-queries.js';

const FLUSH_MS = 2000;

interface Count {
  assetId: number;
  recipe: string;
  variant: string;
  requests: number;
  lastAt: Date;
}

/** Counts served requests per rendition, and writes the counts a few seconds later in batches. */
export class RequestCounter {
  readonly #db: Database;
  readonly #log: Logger;
  #counts = new Map<string, Count>();
  #timer: NodeJS.Timeout | null = null;

  constructor(db: Database, log: Logger) {
    this.#db = db;
    this.#log = log;
  }

  /** Counts one request. */
  add(assetId: number, recipe: string, variant: string): void {
    const key = `${assetId} ${recipe} ${variant}`;
    const count = this.#counts.get(key) ?? { assetId, recipe, variant, requests: 0, lastAt: new Date() };
    count.requests += 1;
    count.lastAt = new Date();
    this.#counts.set(key, count);
    this.#timer ??= setTimeout(() => void this.flush(), FLUSH_MS).unref();
  }

  /** Writes the counts. */
  async flush(): Promise<void> {
    if (this.#timer) clearTimeout(this.#timer);
    this.#timer = null;
    const counts = [...this.#counts.values()];
    this.#counts = new Map();
    await addRequests(this.#db, counts).catch((error) => {
      this.#log.warn({ err: error, renditions: counts.length }, 'served requests could not be counted');
    });
  }
}
