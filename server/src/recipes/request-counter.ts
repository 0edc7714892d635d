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
    this.#add({ assetId, recipe, variant, requests: 1, lastAt: new Date() });
  }

  #add({ requests, lastAt, ...rendition }: Count): void {
    const key = `${rendition.assetId} ${rendition.recipe} ${rendition.variant}`;
    const before = this.#counts.get(key);
    this.#counts.set(key, {
      ...rendition,
      requests: requests + (before?.requests ?? 0),
      lastAt: before && before.lastAt > lastAt ? before.lastAt : lastAt,
    });
    this.#timer ??= setTimeout(() => void this.flush(), FLUSH_MS).unref();
  }

  /** Writes the counts. What the database doesn't take is kept for the next time. */
  async flush(): Promise<void> {
    if (this.#timer) clearTimeout(this.#timer);
    this.#timer = null;
    // In the order of the table's key, so that processes that write the same rows don't block one another for good.
    const counts = [...this.#counts.values()].sort((a, b) => a.assetId - b.assetId || compare(a, b));
    this.#counts = new Map();
    await addRequests(this.#db, counts).catch((error) => {
      this.#log.warn(
        { err: error, renditions: counts.length },
        'served requests could not be counted yet; another attempt follows',
      );
      for (const count of counts) this.#add(count);
    });
  }
}

function compare(a: Count, b: Count): number {
  const [keyOfA, keyOfB] = [`${a.recipe} ${a.variant}`, `${b.recipe} ${b.variant}`];
  return keyOfA < keyOfB ? -1 : Number(keyOfA > keyOfB);
}
