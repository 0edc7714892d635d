import {
  createPool,
  type Pool,
  type PoolConnection,
  type ResultSetHeader,
  type RowDataPacket,
} from 'mysql2/promise';
import type { Config } from '../config.js';

/** What a query runs on: the pool, or the connection of a transaction. */
export type Executor = Pool | PoolConnection;

/** A connection inside a transaction. */
export type Transaction = PoolConnection;

export type Database = Pool;

/** A value that can stand for a placeholder. */
export type SqlValue = string | number | boolean | Date | null | Buffer;

const DEADLOCK = 'ER_LOCK_DEADLOCK';
const MAX_ATTEMPTS = 5;

/**
 * Opens the pool. Times are UTC on every connection. BIGINTs come as numbers: ids and sizes stay far below 2^53.
 * READ COMMITTED, so that claims lock rows and not the gaps between them.
 */
export function openDatabase(config: Config['database'], options: { connections?: number } = {}): Database {
  const pool = createPool({
    host: config.host,
    port: config.port,
    user: config.user,
    password: config.password,
    database: config.name,
    connectionLimit: options.connections ?? 10,
    timezone: 'Z',
    charset: 'utf8mb4_general_ci',
    supportBigNumbers: true,
    maxPreparedStatements: 400,
  });
  pool.pool.on('connection', (connection) => {
    connection.query("SET time_zone = '+00:00', tx_isolation = 'READ-COMMITTED'");
  });
  return pool;
}

/** Reads rows with a prepared statement. */
export async function select<Row>(db: Executor, sql: string, values: SqlValue[] = []): Promise<Row[]> {
  const [rows] = await db.execute<RowDataPacket[]>(sql, values);
  return rows as Row[];
}

/** Reads rows with a list in a placeholder (`IN (?)`), which prepared statements don't expand. */
export async function selectExpanded<Row>(db: Executor, sql: string, values: unknown[]): Promise<Row[]> {
  const [rows] = await db.query<RowDataPacket[]>(sql, values);
  return rows as Row[];
}

/** Reads the first row, or null. */
export async function selectOne<Row>(
  db: Executor,
  sql: string,
  values: SqlValue[] = [],
): Promise<Row | null> {
  return (await select<Row>(db, sql, values))[0] ?? null;
}

/** Writes with a prepared statement; `affectedRows` counts matched rows. */
export async function change(db: Executor, sql: string, values: SqlValue[] = []): Promise<ResultSetHeader> {
  const [result] = await db.execute<ResultSetHeader>(sql, values);
  return result;
}

/** Writes with lists in placeholders (`VALUES ?`, `IN (?)`). */
export async function changeExpanded(db: Executor, sql: string, values: unknown[]): Promise<ResultSetHeader> {
  const [result] = await db.query<ResultSetHeader>(sql, values);
  return result;
}

/**
 * Carries out `work` in a transaction. A deadlock, in which the database picked this one as the victim, starts it
 * over; so `work` must do nothing outside the database that can't be done twice.
 */
export async function inTransaction<Result>(
  db: Database,
  work: (tx: Transaction) => Promise<Result>,
): Promise<Result> {
  for (let attempt = 1; ; attempt += 1) {
    const connection = await db.getConnection();
    try {
      await connection.beginTransaction();
      const result = await work(connection);
      await connection.commit();
      return result;
    } catch (error) {
      await connection.rollback().catch(() => connection.destroy());
      if (!isDatabaseError(error, DEADLOCK) || attempt === MAX_ATTEMPTS) throw error;
    } finally {
      connection.release();
    }
  }
}

/** Tells whether the database refused a statement with this error code. */
export function isDatabaseError(error: unknown, code: string): boolean {
  return error instanceof Error && 'code' in error && error.code === code;
}

/** Writes `%`, `_` and `\` so that LIKE takes them literally. */
export function escapeLike(text: string): string {
  return text.replace(/[\\%_]/g, '\\$&');
}

/** A DATETIME column as UTC ISO 8601. */
export function isoTime(time: Date): string {
  return time.toISOString();
}

/** A nullable DATETIME column as UTC ISO 8601 or null. */
export function isoTimeOrNull(time: Date | null): string | null {
  return time === null ? null : time.toISOString();
}
