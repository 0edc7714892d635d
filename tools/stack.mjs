// @ts-check
// A complete installation for browser tests and benchmarks: its own MariaDB, server, workers and demo site, on free ports.
import { fork, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, openSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { findFreePort, startMariaDb } from './mariadb.mjs';
import { nodeFlags } from './node-flags.mjs';
import { ROOT, VAR } from './prepare.mjs';

export const EMAIL = 'keeper@skerry.example';
export const PASSWORD = 'a lamp in the fog';

/**
 * @param {{ name: string, workers?: number, withSite?: boolean, withBucket?: boolean, bufferPool?: string, env?: Record<string, string> }} options
 */
export async function startStack({
  name,
  workers = 1,
  withSite = false,
  withBucket = false,
  bufferPool = '256M',
  env: extra = {},
}) {
  mkdirSync(VAR, { recursive: true });
  const folder = mkdtempSync(join(VAR, `${name}-`));
  /** @type {(() => Promise<unknown> | unknown)[]} */
  const endings = [() => rmSync(folder, { recursive: true, force: true })];
  const database = await startMariaDb(join(folder, 'mariadb'), { bufferPool });
  endings.push(() => database.stop());
  const port = await findFreePort();
  const url = `http://127.0.0.1:${port}`;
  const inbox = join(folder, 'inbox');
  mkdirSync(inbox);
  const bucket = withBucket ? `http://127.0.0.1:${await findFreePort()}` : '';
  const env = {
    UNIFERUM_PORT: String(port),
    UNIFERUM_PUBLIC_URL: url,
    UNIFERUM_DB_PORT: String(database.port),
    UNIFERUM_DB_USER: database.user,
    UNIFERUM_DB_PASSWORD: database.password,
    UNIFERUM_DATA_DIR: join(folder, 'data'),
    UNIFERUM_INBOX_DIR: inbox,
    UNIFERUM_INBOX_SETTLE_MS: '0',
    UNIFERUM_SOURCE_DIRS: folder,
    UNIFERUM_WEB_DIR: join(ROOT, 'web/dist'),
    UNIFERUM_LOG_LEVEL: 'warn',
    ...(withBucket && { UNIFERUM_ALLOWED_HOSTS: new URL(bucket).host }),
    ...extra,
  };
  const log = openSync(join(VAR, `${name}.log`), 'w');

  /** @param {string} file @param {Record<string, string>} [more] */
  const start = async (file, more = {}) => {
    const child = startChild(file, { env: { ...process.env, ...env, ...more }, log });
    endings.push(() => endChild(child));
    await new Promise((resolve, reject) => {
      child.once('message', resolve);
      child.once('exit', (code) =>
        reject(new Error(`${file} ended with ${code}; its last words are in var/${name}.log`)),
      );
    });
    return child;
  };
  /** @param {string[]} args */
  const admin = (args) => {
    const result = spawnSync(process.execPath, [join(ROOT, 'server/dist/admin.js'), ...args], {
      env: { ...process.env, ...env, UNIFERUM_PASSWORD: PASSWORD },
      encoding: 'utf8',
    });
    if (result.status !== 0) throw new Error(`admin ${args[0]} failed: ${result.stderr}`);
    return result.stdout.trim();
  };

  if (withBucket) await start('standins/dist/bucket/main.js', bucketEnv(bucket, folder));
  const server = await start('server/dist/main.js');
  const workerPids = [];
  for (let n = 0; n < workers; n += 1) workerPids.push((await start('server/dist/worker-main.js')).pid ?? 0);
  admin(['user', '--yes', '--email', EMAIL, '--name', 'Edda Marrow']);
  const key = admin(['key', '--name', 'Script']);
  let site = '';
  if (withSite) {
    const sitePort = await findFreePort();
    site = `http://127.0.0.1:${sitePort}`;
    await start('standins/dist/site/main.js', {
      SITE_PORT: String(sitePort),
      UNIFERUM_URL: url,
      UNIFERUM_KEY: key,
    });
  }
  const close = async () => {
    for (const ending of endings.reverse()) await ending();
  };
  const pids = { serverPid: server.pid ?? 0, workerPids };
  return { url, site, bucket, key, inbox, env, database, ...pids, start, admin, close };
}

/** @param {string} file @param {{ env: NodeJS.ProcessEnv, log: number }} options */
function startChild(file, { env, log }) {
  const execArgv = [...process.execArgv, ...nodeFlags(file)];
  return fork(join(ROOT, file), { execArgv, env, stdio: ['ignore', log, log, 'ipc'] });
}

/** @param {string} url @param {string} folder */
function bucketEnv(url, folder) {
  return {
    PORT: new URL(url).port,
    BUCKET_FOLDER: join(folder, 'bucket'),
    BUCKET_ACCESS_KEY: 'keeper',
    BUCKET_SECRET: PASSWORD,
    BUCKET_NAMES: 'lights',
  };
}

/** @param {import('node:child_process').ChildProcess} child */
function endChild(child) {
  if (child.exitCode !== null || child.signalCode !== null) return undefined;
  return new Promise((resolve) => {
    child.once('exit', resolve);
    child.kill('SIGTERM');
  });
}
