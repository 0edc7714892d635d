import { UniferumError } from './errors.js';

/** Codes that mean that the database cannot be reached, or went away during a query. */
const AWAY = new Set([
  'ECONNREFUSED',
  'ECONNRESET',
  'EHOSTUNREACH',
  'ENETUNREACH',
  'ENOTFOUND',
  'EAI_AGAIN',
  'EPIPE',
  'ETIMEDOUT',
  'PROTOCOL_CONNECTION_LOST',
  'PROTOCOL_ENQUEUE_AFTER_FATAL_ERROR',
  'PROTOCOL_ENQUEUE_AFTER_QUIT',
  'PROTOCOL_SEQUENCE_TIMEOUT',
  'ER_SERVER_SHUTDOWN',
  'ER_NORMAL_SHUTDOWN',
  'ER_CON_COUNT_ERROR',
  'ER_CONNECTION_KILLED',
]);

/** Codes that mean that another transaction holds a lock for too long. */
const BUSY = new Set([
  'ER_LOCK_WAIT_TIMEOUT',
  'ER_LOCK_DEADLOCK',
  'ER_STATEMENT_TIMEOUT',
  'ER_QUERY_TIMEOUT',
]);

/** Codes that mean that the database's own disk is full. */
const FULL = new Set(['ER_DISK_FULL', 'ER_RECORD_FILE_FULL', 'ER_TEMP_FILE_WRITE_FAILURE']);

/** Codes that mean that a value does not fit its column. */
const UNFIT = new Set([
  'ER_DATA_TOO_LONG',
  'ER_WARN_DATA_OUT_OF_RANGE',
  'ER_TRUNCATED_WRONG_VALUE',
  'ER_TRUNCATED_WRONG_VALUE_FOR_FIELD',
  'ER_DATA_OUT_OF_RANGE',
  'ER_TOO_LONG_KEY',
  // Non-ASCII text is compared with an ASCII column.
  'ER_CANT_AGGREGATE_2COLLATIONS',
  'ER_CANT_AGGREGATE_3COLLATIONS',
  'ER_CANT_AGGREGATE_NCOLLATIONS',
]);

/** Converts driver errors caused by the environment into ours; returns any other unchanged. */
export function explainDatabaseError(error: unknown): unknown {
  if (!(error instanceof Error) || error instanceof UniferumError) return error;
  const code = codeOf(error);
  if (AWAY.has(code) || /closed state|Pool is closed/i.test(error.message))
    return new UniferumError(
      'database-away',
      "The database can't be reached right now, so nothing was changed. Try again in a moment.",
      { retryAfterSeconds: 5, cause: error },
    );
  if (BUSY.has(code))
    return new UniferumError(
      'busy',
      'Another operation has locked the data that this request needs; nothing was changed. Try again in a moment.',
      { retryAfterSeconds: 2, cause: error },
    );
  if (FULL.has(code))
    return new UniferumError(
      'storage-full',
      'The disk of the database is full, so nothing was changed. Free space there, then try again.',
      { retryAfterSeconds: 60, cause: error },
    );
  return error;
}

/** Tells whether the database is unavailable, as opposed to rejecting a statement. */
export function isDatabaseAway(error: unknown): boolean {
  return error instanceof UniferumError && error.code === 'database-away';
}

/** Tells whether a statement failed because a value does not fit its column. */
export function isUnfitValue(error: unknown): boolean {
  return error instanceof Error && UNFIT.has(codeOf(error));
}

export function codeOf(error: Error): string {
  return 'code' in error ? String(error.code) : '';
}
