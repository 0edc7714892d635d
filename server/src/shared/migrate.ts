import { createHash } from 'node:crypto';
import { readdir, readFile } from 'node:fs/promises';
import { createConnection, type RowDataPacket } from 'mysql2/promise';
import type { Config } from '../config.js';

const LOCK_SECONDS = 60;
const FOLDER = new URL('../../migrations/', import.meta.url);

/**
 * Brings the database to the newest schema: applies every numbered file that it has not seen, in order, on one
 * connection under a lock, so that several servers can start at once. Creates the database when it is allowed to.
 *
 * @returns the names of the files that were applied
 * @throws Error when an applied file was edited, or when the database knows a newer file than this program
 */
export async function migrate(config: Config['database']): Promise<string[]> {
  const connection = await createConnection({
    host: config.host,
    port: config.port,
    user: config.user,
    password: config.password,
    multipleStatements: true,
    charset: 'utf8mb4_general_ci',
  });
  try {
    await connection.query(
      `CREATE DATABASE IF NOT EXISTS \`${config.name}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_general_ci`,
    );
    await connection.query(`USE \`${config.name}\``);
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
    const files = (await readdir(FOLDER)).filter((name) => /^\d{4}_\w+\.sql$/.test(name)).sort();
    const newer = [...applied.keys()].find((name) => !files.includes(name));
    if (newer)
      throw new Error(
        `The database was migrated by a newer Uniferum (${newer}); run that version or a later one.`,
      );

    const done: string[] = [];
    for (const name of files) {
      const sql = await readFile(new URL(name, FOLDER), 'utf8');
      const sha256 = createHash('sha256').update(sql).digest('hex');
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
    // Ending the connection gives the lock back.
    await connection.end();
  }
}
