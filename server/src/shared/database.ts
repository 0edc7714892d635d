import type { ResultSetHeader, RowDataPacket } from 'mysql2/promise';
import { UniferumError } from './errors.js';

/** What a query runs on: the database, or a transaction. */
export interface Executor {
  /** Runs a prepared statement. */
  execute<Result>(sql: string, values?: readonly unknown[]): Promise<[Result, unknown]>;
  /** Runs a statement with list placeholders (`IN (?)`, `VALUES ?`), which prepared statements do not support. */
  query<Result>(sql: string, values?: readonly unknown[]): Promise<[Result, unknown]>;
}

/** A transaction in progress. Whoever began it commits it or rolls it back. */
export interface Transaction extends Executor {
  /** Runs a part of the transaction that can fail by itself: on an error only its own changes are rolled back. */
  savepoint<Result>(work: () => Promise<Result>): Promise<Result>;
}

/** A database for concurrent use. */
export interface Database extends Executor {
  /** Runs `work` in a transaction; see {@link inTransaction}. */
  transaction<Result>(work: (tx: Transaction) => Promise<Result>): Promise<Result>;
  end(): Promise<void>;
}

/** A value that can be bound to a placeholder. */
export type SqlValue = string | number | boolean | Date | null | Buffer;

/** Reads rows with a prepared statement. */
export async function select<Row>(db: Executor, sql: string, values: SqlValue[] = []): Promise<Row[]> {
  const [rows] = await db.execute<RowDataPacket[]>(sql, values);
  return rows as Row[];
}

/** Reads rows with list placeholders (`IN (?)`), which prepared statements do not expand. */
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

/** Writes with list placeholders (`VALUES ?`, `IN (?)`). */
export async function changeExpanded(db: Executor, sql: string, values: unknown[]): Promise<ResultSetHeader> {
  const [result] = await db.query<ResultSetHeader>(sql, values);
  return result;
}

/**
 * Runs `work` in a transaction. If the database chooses it as a deadlock victim, `work` starts over, so it must be
 * repeatable outside the database.
 *
 * @throws UniferumError `busy` when it is still a victim after several attempts
 */
export function inTransaction<Result>(
  db: Database,
  work: (tx: Transaction) => Promise<Result>,
): Promise<Result> {
  return db.transaction(work);
}

/**
 * Thrown inside a transaction when data read earlier turns out to be stale: the transaction starts over, as after a
 * deadlock.
 */
export class StartOver extends Error {
  readonly code = 'ER_LOCK_DEADLOCK';

  constructor() {
    super('What this transaction had read was changed meanwhile');
  }
}

/** Tells whether the database rejected a statement with this error code. */
export function isDatabaseError(error: unknown, code: string): boolean {
  return error instanceof Error && 'code' in error && error.code === code;
}

/**
 * For `catch` behind a write that a unique key may refuse.
 * @throws UniferumError `conflict` with this message if it did, else the error itself
 */
export function refuseDuplicate(message: string): (error: unknown) => never {
  return (error) => {
    if (isDatabaseError(error, 'ER_DUP_ENTRY')) throw new UniferumError('conflict', message);
    throw error;
  };
}

/** What `JSON.stringify` makes of an unpaired surrogate, and sometimes of a backslash that only looks like one. */
const LONE_SURROGATE = /\\ud[89a-f]/i;

/**
 * The next full second: later than the date of every answer of HTTP before a change, and so a time for what is changed.
 * Source: RFC 9110, 13.1.3.
 */
export const NEXT_SECOND = 'FROM_UNIXTIME(FLOOR(UNIX_TIMESTAMP(NOW(3))) + 1)';

/**
 * Serialises a value to JSON that the database accepts: it rejects JSON with an unpaired surrogate, which truncated
 * or malformed text may contain.
 */
export function writeJson(value: unknown): string {
  const text = JSON.stringify(value);
  if (!LONE_SURROGATE.test(text)) return text;
  return JSON.stringify(value, (_key, one) => (typeof one === 'string' ? one.toWellFormed() : one));
}

/** Escapes `%`, `_` and `\` for LIKE. */
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
