import type { Database, Executor, Transaction } from './database.js';
import type { OpenTransaction, PooledDatabase } from './pooled-database.js';

/** Statements that only read, without locks. */
const READING = /^\s*(?:SELECT|SHOW|WITH)\b(?!.*\b(?:FOR UPDATE|LOCK IN SHARE MODE)\b)/is;

/**
 * The database as seen by a request whose effects must be all or nothing. Reads go to the pool until something is
 * written; from then on everything runs in one transaction, which {@link finish} commits. So an answer can be stored
 * in the same commit as its effect.
 */
export class RequestDatabase implements Database {
  readonly #pool: PooledDatabase;
  #tx: Promise<OpenTransaction> | null = null;
  #release: ((error?: unknown) => void) | null = null;
  #ended: Promise<unknown> = Promise.resolve();

  constructor(pool: PooledDatabase) {
    this.#pool = pool;
  }

  async execute<Result>(sql: string, values?: readonly unknown[]): Promise<[Result, unknown]> {
    return (await this.#executorFor(sql)).execute(sql, values);
  }

  async query<Result>(sql: string, values?: readonly unknown[]): Promise<[Result, unknown]> {
    return (await this.#executorFor(sql)).query(sql, values);
  }

  async transaction<Result>(work: (tx: Transaction) => Promise<Result>): Promise<Result> {
    const tx = await this.#begin();
    return tx.savepoint(() => work(tx));
  }

  /** Commits what was written. */
  async finish(): Promise<void> {
    if (this.#tx !== null) await (await this.#tx).commit();
    await this.end();
  }

  /** Releases the connection; whatever was not committed is rolled back. */
  async end(): Promise<void> {
    this.#release?.();
    this.#release = null;
    await this.#ended;
  }

  async #executorFor(sql: string): Promise<Executor> {
    if (this.#tx === null && READING.test(sql)) return this.#pool;
    return this.#begin();
  }

  #begin(): Promise<OpenTransaction> {
    this.#tx ??= new Promise((resolve, reject) => {
      this.#ended = this.#pool
        .begin(
          (tx) =>
            new Promise<void>((done) => {
              this.#release = () => done();
              resolve(tx);
            }),
        )
        .catch(reject);
    });
    return this.#tx;
  }
}
