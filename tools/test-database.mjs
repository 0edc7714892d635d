// @ts-check
import { fork } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { createConnection } from 'mysql2/promise';
import { startMariaDb } from './mariadb.mjs';
import { ROOT, VAR } from './prepare.mjs';

/** One MariaDB for all test files, in a folder of its own that goes with it. @param {import('vitest/node').TestProject} project */
export async function setup(project) {
  mkdirSync(VAR, { recursive: true });
  const folder = mkdtempSync(join(VAR, 'test-db-'));
  // Test data need not survive a power failure.
  const { stop, host, port, user, password } = await startMariaDb(folder, { flushAtCommit: 0 });
  project.provide('database', { host, port, user, password });
  project.provide('schema', await migratedSchema({ host, port, user, password }));
  const bucket = project.name === 'bucket-home' ? await startBucket() : null;
  project.provide('homeBucket', bucket?.url ?? null);
  return async () => {
    await bucket?.stop();
    await stop();
    rmSync(folder, { recursive: true, force: true });
  };
}

/** The database in which the migrations are run once. */
const MIGRATED = 'migrated';

/**
 * The statements that give an empty database all tables and rows of a migrated one, which is faster than the migrations.
 * @param {{ host: string, port: number, user: string, password: string }} server
 */
async function migratedSchema(server) {
  const { migrate } = await import(join(ROOT, 'server/dist/shared/migrate.js'));
  await migrate({ ...server, name: MIGRATED });
  const connection = await createConnection({ ...server, database: MIGRATED, rowsAsArray: true });
  /** @param {string} sql @returns {Promise<any[][]>} */
  const rows = async (sql) => /** @type {any} */ ((await connection.query(sql))[0]);
  const statements = ['SET FOREIGN_KEY_CHECKS = 0'];
  for (const [table] of await rows('SHOW TABLES')) {
    const [[, create] = []] = await rows(`SHOW CREATE TABLE \`${table}\``);
    statements.push(create, `INSERT INTO \`${table}\` SELECT * FROM ${MIGRATED}.\`${table}\``);
  }
  await connection.end();
  return [...statements, 'SET FOREIGN_KEY_CHECKS = 1'].join(';\n');
}

/** A bucket store shared by all test installations, each with its own prefix; see server/src/testing/bucket.ts. */
async function startBucket() {
  const folder = mkdtempSync(join(VAR, 'test-bucket-'));
  const child = fork(join(ROOT, 'standins/dist/bucket/main.js'), {
    env: {
      ...process.env,
      BUCKET_FOLDER: folder,
      BUCKET_ACCESS_KEY: 'keeper',
      BUCKET_SECRET: 'lamp-and-lens',
      BUCKET_NAMES: 'lights',
    },
  });
  const [{ port }] = await once(child, 'message');
  const stop = async () => {
    const ended = once(child, 'exit');
    child.kill('SIGTERM');
    await ended;
    rmSync(folder, { recursive: true, force: true });
  };
  return { url: `http://127.0.0.1:${port}`, stop };
}
