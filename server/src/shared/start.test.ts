import { type ChildProcess, fork } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createConnection } from 'mysql2/promise';
import { afterAll, afterEach, beforeAll, expect, inject, test } from 'vitest';
import { readConfig } from './config.js';
import { migrate } from './migrate.js';

const MIGRATIONS = new URL('../../migrations/', import.meta.url).pathname;
const dist = (name: string) => new URL(`../../dist/${name}.js`, import.meta.url).pathname;

let dataDir: string;
beforeAll(() => {
  dataDir = mkdtempSync(join(tmpdir(), 'uniferum-start-'));
});
const children = new Set<ChildProcess>();
const names = new Set<string>();
afterEach(async () => {
  for (const child of children)
    await new Promise((resolve) => {
      if (child.exitCode !== null || child.signalCode !== null) return resolve(undefined);
      child.once('exit', resolve);
      child.kill('SIGKILL');
    });
  children.clear();
});
afterAll(async () => {
  const connection = await connect();
  for (const name of names) await connection.query(`DROP DATABASE IF EXISTS \`${name}\``);
  await connection.end();
  rmSync(dataDir, { recursive: true, force: true });
});

function connect() {
  const { host, port, user, password } = inject('database');
  return createConnection({ host, port, user, password, multipleStatements: true });
}

function newEnvironment(): Record<string, string> {
  const { host, port, user, password } = inject('database');
  const name = `start_${randomBytes(6).toString('hex')}`;
  names.add(name);
  return {
    UNIFERUM_DB_HOST: host,
    UNIFERUM_DB_PORT: String(port),
    UNIFERUM_DB_USER: user,
    UNIFERUM_DB_PASSWORD: password,
    UNIFERUM_DB_NAME: name,
    UNIFERUM_DATA_DIR: dataDir,
    UNIFERUM_PORT: '0',
  };
}

/** Starts a program, and gathers what it says. */
function start(file: string, env: Record<string, string>) {
  const child = fork(dist(file), {
    env: { ...process.env, ...env },
    stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
  });
  children.add(child);
  const listeners = new Set<() => void>();
  let said = '';
  for (const stream of [child.stdout, child.stderr])
    stream?.on('data', (part) => {
      said += part;
      for (const listener of listeners) listener();
    });
  return {
    said: () => said,
    isReady: new Promise<void>((resolve) => child.once('message', () => resolve())),
    exit: new Promise<number | null>((resolve) => child.once('exit', (code) => resolve(code))),
    says: (pattern: RegExp) =>
      new Promise<void>((resolve) => {
        const look = () => pattern.test(said) && resolve();
        listeners.add(look);
        look();
      }),
  };
}

test('a worker that is started beside a server on an empty database waits until that has migrated it', async () => {
  const env = newEnvironment();
  const workers = [start('worker-main', env), start('worker-main', env)];
  await Promise.all(workers.map(({ says }) => says(/waiting for a server to migrate/)));
  const servers = [start('main', env), start('main', env)];
  await Promise.all([...workers, ...servers].map(({ isReady }) => isReady));
});

test.each(['main', 'worker-main'])(
  "%s names the database that it can't reach, and whose it would be",
  async (file) => {
    const { says } = start(file, { ...newEnvironment(), UNIFERUM_DB_PORT: '9' });
    await says(
      /MariaDB at 127\.0\.0\.1:9 can't be reached as \\"uniferum\\" \(ECONNREFUSED\)\. Check that it is running/,
    );
  },
);

test.each(['main', 'worker-main'])('%s ends for good when the database refuses it', async (file) => {
  const { exit, said } = start(file, { ...newEnvironment(), UNIFERUM_DB_PASSWORD: 'wrong' });
  expect(await exit).toBe(78);
  expect(said()).toMatch(/refuses the user \\"uniferum\\" for the database .*UNIFERUM_DB_PASSWORD/);
});

test.each(['main', 'worker-main'])('%s ends for good when its configuration is wrong', async (file) => {
  const { exit, said } = start(file, { ...newEnvironment(), UNIFERUM_WORKER_SLOTS: 'many' });
  expect(await exit).toBe(78);
  expect(said()).toContain('UNIFERUM_WORKER_SLOTS');
});

test('servers that start at once migrate a database once', async () => {
  const { database } = readConfig(newEnvironment());
  const applied = await Promise.all([1, 2, 3].map(() => migrate(database)));
  expect(applied.flat().sort()).toEqual(readdirSync(MIGRATIONS).sort());
});

const sha256Of = (text: string) => createHash('sha256').update(text).digest('hex');

test('a migration that broke off after any of its statements goes through the next time', async () => {
  const { database } = readConfig(newEnvironment());
  const connection = await connect();
  await connection.query(`CREATE DATABASE \`${database.name}\` CHARACTER SET utf8mb4`);
  await connection.query(`USE \`${database.name}\``);
  await connection.query('CREATE TABLE migrations (name VARCHAR(100) PRIMARY KEY, sha256 CHAR(64) NOT NULL)');
  const files = readdirSync(MIGRATIONS).sort();
  for (const file of files) {
    const sql = readFileSync(join(MIGRATIONS, file), 'utf8');
    const statements = sql
      .split(/;\s*(?:\n|$)/)
      .filter((statement) => statement.replace(/^\s*--.*$/gm, '').trim() !== '');
    for (let count = 1; count <= statements.length; count += 1)
      for (const statement of statements.slice(0, count))
        await connection.query(statement).catch((error) => {
          throw new Error(`${file}, begun again after ${count - 1} statements: ${error.message}`);
        });
    if (file !== files.at(-1))
      await connection.query('INSERT INTO migrations (name, sha256) VALUES (?, ?)', [file, sha256Of(sql)]);
  }
  await connection.end();
  // The last one went through whole and was not written down.
  expect(await migrate(database)).toEqual(files.slice(-1));
});
