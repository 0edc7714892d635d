import type { ByteStore, StoreState } from './byte-store.js';
import type { Config } from './config.js';
import { type Executor, select } from './database.js';
import { openDatabase, type PooledDatabase } from './pooled-database.js';

/** Workers report every third of a lease; after three missed reports they count as dead. */
const HEARTBEATS = 1.5;
/** An answer younger than this is reused. */
const FRESH_MS = 1000;
/** An older answer is returned while a new one is being computed, up to this age. */
const USABLE_MS = 10_000;
/** How long a request waits for a new answer before it gets the last one. */
const PATIENCE_MS = 25;
/** A part that does not respond within this time is failing. */
const PROBE_MS = 2000;

/** Tells whether a worker reported within this many seconds. */
export type WorkerProbe = (db: Executor, withinSeconds: number) => Promise<boolean>;

export interface HealthReport {
  database: 'ok' | 'failing';
  worker: 'ok' | 'failing';
  store: StoreState;
}

/**
 * Checks whether all parts work. It uses its own connection and caches its last answer, so that monitoring gets an
 * answer in time, however busy the server is.
 */
export class Health {
  readonly #db: PooledDatabase;
  readonly #store: ByteStore;
  readonly #isWorkerAlive: WorkerProbe;
  readonly #workerSeconds: number;
  #last: { report: HealthReport; at: number } | null = null;
  #probing: Promise<HealthReport> | null = null;

  constructor(config: Pick<Config, 'database' | 'worker'>, store: ByteStore, isWorkerAlive: WorkerProbe) {
    this.#isWorkerAlive = isWorkerAlive;
    this.#db = openDatabase(config.database, {
      connections: 1,
      acquireTimeoutMs: PROBE_MS,
      statementTimeoutMs: PROBE_MS,
    });
    this.#store = store;
    this.#workerSeconds = Math.ceil((config.worker.leaseMs * HEARTBEATS) / 1000);
  }

  async read(): Promise<HealthReport> {
    const last = this.#last;
    const age = last === null ? Number.POSITIVE_INFINITY : Date.now() - last.at;
    if (last !== null && age < FRESH_MS) return last.report;
    this.#probing ??= this.#probe().finally(() => {
      this.#probing = null;
    });
    if (last === null || age > USABLE_MS) return this.#probing;
    return Promise.race([this.#probing, wait(PATIENCE_MS).then(() => last.report)]);
  }

  async close(): Promise<void> {
    await this.#probing;
    await this.#db.end();
  }

  async #probe(): Promise<HealthReport> {
    const [database, store] = await Promise.all([
      isTrue(select(this.#db, 'SELECT 1')),
      within(this.#store.check(), PROBE_MS).catch((): StoreState => 'failing'),
    ]);
    const worker = database && (await isTrue(this.#isWorkerAlive(this.#db, this.#workerSeconds)));
    const report: HealthReport = {
      database: database ? 'ok' : 'failing',
      worker: worker ? 'ok' : 'failing',
      store,
    };
    this.#last = { report, at: Date.now() };
    return report;
  }
}

async function isTrue(question: Promise<unknown>): Promise<boolean> {
  return within(question, PROBE_MS).then(
    (answer) => answer !== false,
    () => false,
  );
}

function within<Result>(work: Promise<Result>, ms: number): Promise<Result> {
  return Promise.race([
    work,
    wait(ms).then(() => {
      throw new Error(`no answer within ${ms} ms`);
    }),
  ]);
}

function wait(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms).unref());
}
