import { readdir, readFile } from 'node:fs/promises';
import { setTimeout as delay } from 'node:timers/promises';
import { type Connection, createConnection, type RowDataPacket } from 'mysql2/promise';
import type { Config } from './config.js';
import { codeOf } from './database-errors.js';
import { sha256Of } from './sha256.js';

const LOCK_SECONDS = 60;
const FOLDER = new URL('../../migrations/', import.meta.url);

/**
 * Migrates the database to the newest schema: applies every numbered file not yet applied, in order, on one
 * connection under a lock, so that several servers can start at once. Creates the database if permitted.
 *
 * @returns the names of the applied files
 * @throws Error when an applied file was edited, or when the database has a newer file than this program
 */
export async function migrate(config: Config['database']): Promise<string[]> {
  const connection = await connect(config);
  try {
    await connection
      .query(
        `CREATE DATABASE IF NOT EXISTS \`${config.name}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci`,
      )
      .then(() => connection.query(`USE \`${config.name}\``))
      .catch((error) => {
        throw new DatabaseStartError(config, error);
      });
    const [[lock]] = await connection.query<RowDataPacket[]>('SELECT GET_LOCK(?, ?) AS held', [
      `${config.name}.migrate`,
      LOCK_SECONDS,
    ]);
    if (lock?.held !== 1)
      throw new Error('Another server is migrating the database for too long; start again when it is done.');
    await connection.query(
      'CREATE TABLE IF NOT EXISTS migrations (name VARCHAR(100) PRIMARY KEY, sha256 CHAR(64) NOT NULL, applied_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3))',
    );
    const [rows] = await connection.query<RowDataPacket[]>(
      'SELECT name, sha256 FROM migrations ORDER BY name',
    );
    const applied = new Map(rows.map((row) => [String(row.name), String(row.sha256)]));
    const files = await listFiles();
    const newer = [...applied.keys()].find((name) => !files.includes(name));
    if (newer)
      throw new Error(
        `The database was migrated by a newer Uniferum (${newer}); run that version or a later one.`,
      );

    const done: string[] = [];
    for (const name of files) {
      const sql = await readFile(new URL(name, FOLDER), 'utf8');
      const sha256 = sha256Of(sql);
      const before = applied.get(name);
      if (before !== undefined && before !== sha256)
        throw new Error(`${name} was edited after it had been applied; restore it and add a new file.`);
      if (before !== undefined) continue;
      await connection.query(sql);
      await connection.query('INSERT INTO migrations (name, sha256) VALUES (?, ?)', [name, sha256]);
      done.push(name);
    }
    return done;
  } finally {
    // Closing the connection releases the lock.
    await connection.end();
  }
}

/** Waits until a server has migrated the database to the schema of this program. @throws DatabaseStartError */
export async function waitUntilMigrated(
  config: Config['database'],
  { onWait, signal }: { onWait: (missing: string[]) => void; signal?: AbortSignal },
): Promise<void> {
  const wanted = await listFiles();
  for (let told = false; ; told = true) {
    const missing = await listMissing(config, wanted);
    if (missing.length === 0) return;
    if (!told) onWait(missing);
    await delay(POLL_MS, undefined, signal ? { signal } : {});
  }
}
const POLL_MS = 300;

async function listMissing(config: Config['database'], wanted: readonly string[]): Promise<string[]> {
  const connection = await connect(config);
  try {
    const [rows] = await connection.query<RowDataPacket[]>(
      `SELECT name FROM \`${config.name}\`.migrations ORDER BY name`,
    );
    const applied = new Set(rows.map((row) => String(row.name)));
    return wanted.filter((name) => !applied.has(name));
  } catch (error) {
    // The database does not exist yet, or is empty.
    if (error instanceof Error && /^ER_(?:BAD_DB_ERROR|NO_SUCH_TABLE)$/.test(codeOf(error)))
      return [...wanted];
    throw new DatabaseStartError(config, error);
  } finally {
    await connection.end();
  }
}

async function listFiles(): Promise<string[]> {
  return (await readdir(FOLDER)).filter((name) => /^\d{4}_\w+\.sql$/.test(name)).sort();
}

async function connect(config: Config['database']): Promise<Connection> {
  try {
    return await createConnection({
      host: config.host,
      port: config.port,
      user: config.user,
      password: config.password,
      multipleStatements: true,
      connectTimeout: 5000,
      charset: 'utf8mb4_general_ci',
    });
  } catch (error) {
    throw new DatabaseStartError(config, error);
  }
}

/** Says which database could not be used, as which user, why, and what to do. */
export class DatabaseStartError extends Error {
  /** Whether it may resolve itself: the database may just be starting. */
  readonly mayRetry: boolean;

  constructor({ host, port, user, name }: Config['database'], cause: unknown) {
    const code = cause instanceof Error ? codeOf(cause) : '';
    const where = `MariaDB at ${host}:${port}`;
    const denied = /^ER_(?:ACCESS_DENIED_ERROR|DBACCESS_DENIED_ERROR|ACCESS_DENIED_NO_PASSWORD_ERROR)$/.test(
      code,
    );
    const advice = denied
      ? `refuses the user "${user}" for the database "${name}". Check UNIFERUM_DB_USER, UNIFERUM_DB_PASSWORD and UNIFERUM_DB_NAME, and what that user is granted.`
      : `can't be reached as "${user}" (${code || String(cause)}). Check that it is running, and that UNIFERUM_DB_HOST and UNIFERUM_DB_PORT name it.`;
    super(`${where} ${advice}`, { cause });
    this.mayRetry = !denied;
  }
}
