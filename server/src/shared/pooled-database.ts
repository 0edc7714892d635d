import { AsyncLocalStorage } from 'node:async_hooks';
import { setTimeout as delay } from 'node:timers/promises';
import { createPool, type Pool, type PoolConnection } from 'mysql2/promise';
import type { Config } from './config.js';
import type { Database, Transaction } from './database.js';
import { codeOf, explainDatabaseError } from './database-errors.js';
import { UniferumError } from './errors.js';

export interface PoolSettings {
  /** @defaultValue 10 */
  connections?: number;
  /** How long a caller waits for a connection before it gets `busy`, in milliseconds. @defaultValue 10000 */
  acquireTimeoutMs?: number;
  /** A statement that takes longer loses its connection, in milliseconds. @defaultValue 120000 */
  statementTimeoutMs?: number;
}

const MAX_ATTEMPTS = 6;
/** A lock held for longer makes the waiting statement fail, so that nobody waits for a minute. */
const LOCK_WAIT_S = 20;

/** Tracks who holds a connection, so that the same caller never takes another one meanwhile. */
const holder = new AsyncLocalStorage<{ isHolding: boolean }>();

/**
 * A pool of connections to MariaDB. Callers get connections in order of request; one that waits too long gets `busy`.
 * Times are UTC on every connection. BIGINTs are returned as numbers: ids and sizes stay far below 2^53. READ
 * COMMITTED, so that claims lock rows and not the gaps between them.
 */
export class PooledDatabase implements Database {
  readonly #pool: Pool;
  readonly #acquireTimeoutMs: number;
  readonly #statementTimeoutMs: number;
  readonly #waiting: (() => void)[] = [];
  #end: Promise<void> | null = null;
  #free: number;

  constructor(config: Config['database'], settings: PoolSettings = {}) {
    const connections = settings.connections ?? 10;
    this.#free = connections;
    this.#acquireTimeoutMs = settings.acquireTimeoutMs ?? 10_000;
    this.#statementTimeoutMs = settings.statementTimeoutMs ?? 120_000;
    this.#pool = createPool({
      host: config.host,
      port: config.port,
      user: config.user,
      password: config.password,
      database: config.name,
      connectionLimit: connections,
      connectTimeout: 5000,
      enableKeepAlive: true,
      timezone: 'Z',
      charset: 'utf8mb4_general_ci',
      supportBigNumbers: true,
      maxPreparedStatements: 400,
    });
    this.#pool.pool.on('connection', (connection) => {
      connection.query(
        `SET time_zone = '+00:00', tx_isolation = 'READ-COMMITTED', innodb_lock_wait_timeout = ${LOCK_WAIT_S}`,
      );
    });
  }

  /** The number of callers waiting for a connection. */
  get waiting(): number {
    return this.#waiting.length;
  }

  execute<Result>(sql: string, values?: readonly unknown[]): Promise<[Result, unknown]> {
    return retryDeadlocks(() =>
      this.#withConnection((connection) => this.#run<Result>(connection, 'execute', sql, values)),
    );
  }

  query<Result>(sql: string, values?: readonly unknown[]): Promise<[Result, unknown]> {
    return retryDeadlocks(() =>
      this.#withConnection((connection) => this.#run<Result>(connection, 'query', sql, values)),
    );
  }

  transaction<Result>(work: (tx: Transaction) => Promise<Result>): Promise<Result> {
    return retryDeadlocks(() =>
      this.begin(async (tx) => {
        const result = await work(tx);
        await tx.commit();
        return result;
      }),
    );
  }

  /**
   * Runs `work` in a transaction whose reads all see the snapshot of the first one. Its writes apply to the current
   * state.
   */
  snapshot<Result>(work: (tx: Transaction) => Promise<Result>): Promise<Result> {
    return retryDeadlocks(() =>
      this.begin(
        async (tx) => {
          const result = await work(tx);
          await tx.commit();
          return result;
        },
        { isolation: 'REPEATABLE READ' },
      ),
    );
  }

  /** Runs a transaction that ends with `work`: whatever it did not commit is rolled back. */
  begin<Result>(
    work: (tx: OpenTransaction) => Promise<Result>,
    { isolation }: { isolation?: 'REPEATABLE READ' } = {},
  ): Promise<Result> {
    return this.#withConnection(async (connection) => {
      const run: Run = (kind, sql, values) => this.#run(connection, kind, sql, values);
      const tx = new OpenTransaction(run);
      const mark = { isHolding: true };
      try {
        // For this transaction only.
        if (isolation) await run('query', `SET TRANSACTION ISOLATION LEVEL ${isolation}`);
        await run('query', 'START TRANSACTION');
        return await holder.run(mark, () => work(tx));
      } finally {
        mark.isHolding = false;
        // A connection that cannot even roll back is broken, and is discarded.
        if (!tx.isOver) await run('query', 'ROLLBACK').catch(() => connection.destroy());
      }
    });
  }

  /** Closes all connections; closing twice is harmless. */
  end(): Promise<void> {
    this.#end ??= this.#pool.end();
    return this.#end;
  }

  async #withConnection<Result>(work: (connection: PoolConnection) => Promise<Result>): Promise<Result> {
    if (holder.getStore()?.isHolding)
      throw new Error(
        'Expected the transaction that is open here to be used, got a request for another connection',
      );
    await this.#acquire();
    try {
      const connection = await this.#pool.getConnection().catch((error) => {
        throw explainDatabaseError(error);
      });
      try {
        return await work(connection);
      } finally {
        connection.release();
      }
    } finally {
      this.#giveBack();
    }
  }

  /** Acquires a connection slot in order of request. @throws UniferumError `busy` */
  #acquire(): Promise<void> {
    if (this.#free > 0) {
      this.#free -= 1;
      return Promise.resolve();
    }
    return new Promise((resolve, reject) => {
      const enter = () => {
        clearTimeout(timer);
        resolve();
      };
      const timer = setTimeout(() => {
        this.#waiting.splice(this.#waiting.indexOf(enter), 1);
        reject(
          new UniferumError(
            'busy',
            'All connections to the database are in use, and none became free in time. Try again in a moment.',
            { retryAfterSeconds: 2 },
          ),
        );
      }, this.#acquireTimeoutMs);
      this.#waiting.push(enter);
    });
  }

  #giveBack(): void {
    const next = this.#waiting.shift();
    if (next) next();
    else this.#free += 1;
  }

  async #run<Result>(
    connection: PoolConnection,
    kind: 'execute' | 'query',
    sql: string,
    values: readonly unknown[] = [],
  ): Promise<[Result, unknown]> {
    try {
      const options = { sql, values: [...values], timeout: this.#statementTimeoutMs };
      const result = await (kind === 'execute'
        ? connection.execute(options as never)
        : connection.query(options));
      return result as unknown as [Result, unknown];
    } catch (error) {
      if (isFatal(error)) connection.destroy();
      // Callers never see a deadlock: the transaction starts over.
      throw isDeadlock(error) ? error : explainDatabaseError(error);
    }
  }
}

type Run = <Result>(
  kind: 'execute' | 'query',
  sql: string,
  values?: readonly unknown[],
) => Promise<[Result, unknown]>;

/** A transaction on one connection. */
export class OpenTransaction implements Transaction {
  readonly #run: Run;
  #savepoints = 0;
  #isOver = false;

  constructor(run: Run) {
    this.#run = run;
  }

  get isOver(): boolean {
    return this.#isOver;
  }

  execute<Result>(sql: string, values?: readonly unknown[]): Promise<[Result, unknown]> {
    return this.#run('execute', sql, values);
  }

  query<Result>(sql: string, values?: readonly unknown[]): Promise<[Result, unknown]> {
    return this.#run('query', sql, values);
  }

  async savepoint<Result>(work: () => Promise<Result>): Promise<Result> {
    this.#savepoints += 1;
    const name = `part${this.#savepoints}`;
    await this.#run('query', `SAVEPOINT ${name}`);
    try {
      const result = await work();
      await this.#run('query', `RELEASE SAVEPOINT ${name}`);
      return result;
    } catch (error) {
      // A deadlock has already rolled everything back: the savepoint no longer exists.
      if (!isDeadlock(error)) await this.#run('query', `ROLLBACK TO SAVEPOINT ${name}`);
      throw error;
    }
  }

  async commit(): Promise<void> {
    await this.#run('query', 'COMMIT');
    this.#isOver = true;
  }
}

/** Restarts work chosen as a deadlock victim. @throws UniferumError `busy` after several attempts */
export async function retryDeadlocks<Result>(work: () => Promise<Result>): Promise<Result> {
  for (let attempt = 1; ; attempt += 1) {
    try {
      return await work();
    } catch (error) {
      if (!isDeadlock(error)) throw error;
      if (attempt === MAX_ATTEMPTS) throw explainDatabaseError(error);
      await delay(Math.random() * 5 * 2 ** attempt);
    }
  }
}

/** Opens a pool. */
export function openDatabase(config: Config['database'], settings: PoolSettings = {}): PooledDatabase {
  return new PooledDatabase(config, settings);
}

export function isDeadlock(error: unknown): boolean {
  return error instanceof Error && codeOf(error) === 'ER_LOCK_DEADLOCK';
}

function isFatal(error: unknown): boolean {
  return (
    error instanceof Error &&
    ('fatal' in error ? error.fatal === true : codeOf(error) === 'PROTOCOL_SEQUENCE_TIMEOUT')
  );
}
