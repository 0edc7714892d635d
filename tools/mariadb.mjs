// @ts-check
// A MariaDB for this project: its data folder is inside the project, it listens on loopback only, and needs no
// administration. It uses only Node, because it runs before anything is installed.
import { spawn, spawnSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import {
  existsSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  readlinkSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { createConnection, createServer } from 'node:net';
import { tmpdir, userInfo } from 'node:os';
import { join, resolve } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';

/** Ports above this are ephemeral: a fixed one is sometimes taken. */
const HIGHEST_PORT = 32_000;
const LOWEST_PORT = 20_000;
const START_TIMEOUT_MS = 60_000;
const STOP_TIMEOUT_MS = 60_000;

/**
 * @typedef {object} RunningDatabase
 * @property {string} host
 * @property {number} port
 * @property {string} user
 * @property {string} password
 * @property {() => Promise<void>} stop ends it cleanly
 * @property {number} pid
 */

/**
 * Starts the database of a folder, and creates it if necessary. A server left running by a killed start is stopped first;
 * InnoDB recovers from that.
 *
 * @param {string} folder
 * @param {{ bufferPool?: string, flushAtCommit?: 0 | 1 | 2, port?: number }} [options] `port` when it has to be a certain one
 * @returns {Promise<RunningDatabase>}
 */
export async function startMariaDb(
  folder,
  { bufferPool = '256M', flushAtCommit = 1, port: wantedPort } = {},
) {
  const root = resolve(folder);
  const dataDir = join(root, 'data');
  mkdirSync(temporaryFolder(root), { recursive: true });
  await endLeftovers(dataDir);
  if (!existsSync(dataDir)) install(root, dataDir);
  const password = keepPassword(root);
  const initFile = writeInitFile(root, password);
  for (let attempt = 1; ; attempt += 1) {
    const port = wantedPort ?? (await findFreePort());
    const server = launch({ root, dataDir, port, initFile, bufferPool, flushAtCommit });
    const outcome = await waitUntilUp(server, port);
    if (outcome === 'up')
      return {
        host: '127.0.0.1',
        port,
        user: 'uniferum',
        password,
        pid: server.pid ?? 0,
        stop: () => stop(server),
      };
    const log = tail(join(root, 'mariadb.log'));
    if (!/address already in use/i.test(log) || attempt === 5)
      throw new Error(`MariaDB didn't start. Its last words:\n${log}`);
  }
}

/** Finds a free port on loopback. */
export async function findFreePort() {
  for (let attempt = 0; attempt < 200; attempt += 1) {
    const port = LOWEST_PORT + Math.floor(Math.random() * (HIGHEST_PORT - LOWEST_PORT));
    if (await isPortFree(port)) return port;
  }
  throw new Error('No free port was found on 127.0.0.1.');
}

/** @param {number} port */
export function isPortFree(port) {
  return new Promise((settle) => {
    const probe = createServer();
    probe.once('error', () => settle(false));
    probe.listen(port, '127.0.0.1', () => probe.close(() => settle(true)));
  });
}

/**
 * A server that starts deletes the temporary tables that it finds, also those of another one that is running.
 *
 * @param {string} root
 */
function temporaryFolder(root) {
  return join(root, 'tmp');
}

/** @param {string} root @param {string} dataDir */
function install(root, dataDir) {
  // Created in a temporary folder and renamed, so that an interrupted installation is not mistaken for a complete one.
  const beside = join(root, 'data.making');
  rmSync(beside, { recursive: true, force: true });
  const result = spawnSync(
    'mariadb-install-db',
    [
      '--no-defaults',
      `--datadir=${beside}`,
      `--tmpdir=${temporaryFolder(root)}`,
      `--user=${userInfo().username}`,
      '--auth-root-authentication-method=normal',
      '--skip-test-db',
      '--skip-name-resolve',
    ],
    { encoding: 'utf8' },
  );
  if (result.status !== 0)
    throw new Error(`The database could not be made:\n${result.stdout}${result.stderr}${result.error ?? ''}`);
  renameSync(beside, dataDir);
}

/** @param {string} root */
function keepPassword(root) {
  const file = join(root, 'password');
  if (!existsSync(file)) writeFileSync(file, randomBytes(24).toString('hex'), { mode: 0o600 });
  return readFileSync(file, 'utf8').trim();
}

/** Runs at every start, so that the account exists even after an interruption; root gets a random password. */
function writeInitFile(/** @type {string} */ root, /** @type {string} */ password) {
  const file = join(root, 'init.sql');
  const statements = [
    `CREATE USER IF NOT EXISTS 'uniferum'@'127.0.0.1' IDENTIFIED BY '${password}'`,
    `ALTER USER 'uniferum'@'127.0.0.1' IDENTIFIED BY '${password}'`,
    "GRANT ALL PRIVILEGES ON *.* TO 'uniferum'@'127.0.0.1' WITH GRANT OPTION",
    `ALTER USER 'root'@'localhost' IDENTIFIED BY '${password}'`,
  ];
  writeFileSync(file, `${statements.join(';\n')};\n`, { mode: 0o600 });
  return file;
}

/** @param {{ root: string, dataDir: string, port: number, initFile: string, bufferPool: string, flushAtCommit: number }} options */
function launch({ root, dataDir, port, initFile, bufferPool, flushAtCommit }) {
  const socket = join(
    tmpdir(),
    `uniferum-${createHash('sha256').update(dataDir).digest('hex').slice(0, 12)}.sock`,
  );
  const log = openSync(join(root, 'mariadb.log'), 'w');
  return spawn(
    'mariadbd',
    [
      '--no-defaults',
      `--datadir=${dataDir}`,
      `--tmpdir=${temporaryFolder(root)}`,
      `--socket=${socket}`,
      `--port=${port}`,
      '--bind-address=127.0.0.1',
      `--pid-file=${join(root, 'mariadb.pid')}`,
      `--init-file=${initFile}`,
      `--innodb-buffer-pool-size=${bufferPool}`,
      `--innodb-flush-log-at-trx-commit=${flushAtCommit}`,
      `--innodb-log-file-size=${logFileSize(bufferPool)}`,
      '--skip-name-resolve',
      '--skip-log-bin',
      '--performance-schema=OFF',
      '--max-connections=200',
      '--max-allowed-packet=64M',
      '--character-set-server=utf8mb4',
      '--collation-server=utf8mb4_general_ci',
      `--user=${userInfo().username}`,
    ],
    // In its own process group: on Ctrl-C, its clients stop first.
    { stdio: ['ignore', log, log], detached: true },
  );
}

/**
 * Half of the buffer pool (common practice, no source): with a smaller log, changed pages are written again and again while
 * much is changed.
 *
 * @param {string} bufferPool such as `256M` or `1G`
 */
export function logFileSize(bufferPool) {
  const [, amount, unit] = /^(\d+)([MG])$/.exec(bufferPool) ?? [];
  if (amount === undefined) throw new Error(`${bufferPool} is not a size such as 256M or 1G.`);
  return `${(Number(amount) * (unit === 'G' ? 1024 : 1)) / 2}M`;
}

/** @param {import('node:child_process').ChildProcess} server @param {number} port @returns {Promise<'up' | 'ended'>} */
async function waitUntilUp(server, port) {
  let hasEnded = false;
  server.once('exit', () => {
    hasEnded = true;
  });
  server.once('error', () => {
    hasEnded = true;
  });
  const until = Date.now() + START_TIMEOUT_MS;
  while (!hasEnded && Date.now() < until) {
    if (await greets(port)) return 'up';
    await delay(50);
  }
  if (!hasEnded) await stop(server);
  return 'ended';
}

/** The server sends the first message: its greeting means that it accepts connections. */
function greets(/** @type {number} */ port) {
  return new Promise((settle) => {
    const socket = createConnection({ host: '127.0.0.1', port, timeout: 1000 });
    const end = (/** @type {boolean} */ answer) => {
      socket.destroy();
      settle(answer);
    };
    socket.once('data', () => end(true));
    socket.once('error', () => end(false));
    socket.once('timeout', () => end(false));
    socket.once('end', () => end(false));
  });
}

/** @param {import('node:child_process').ChildProcess} server */
async function stop(server) {
  if (server.exitCode !== null || server.signalCode !== null) return;
  const ended = new Promise((settle) => server.once('exit', settle));
  server.kill('SIGTERM');
  await Promise.race([ended, delay(STOP_TIMEOUT_MS, undefined, { ref: false })]);
}

/** Ends servers that still run on this data folder, whoever started them. @param {string} dataDir */
async function endLeftovers(dataDir) {
  for (const pid of findServersOn(dataDir)) {
    process.kill(pid, 'SIGTERM');
    const until = Date.now() + STOP_TIMEOUT_MS;
    while (existsSync(`/proc/${pid}`) && Date.now() < until) await delay(50);
  }
}

/** @param {string} dataDir */
function findServersOn(dataDir) {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .filter((pid) => {
      try {
        const isServer = readlinkSync(`/proc/${pid}/exe`).includes('mariadbd');
        return (
          isServer &&
          readFileSync(`/proc/${pid}/cmdline`, 'utf8').split('\0').includes(`--datadir=${dataDir}`)
        );
      } catch {
        return false;
      }
    })
    .map(Number);
}

/** @param {string} file */
function tail(file) {
  return existsSync(file) ? readFileSync(file, 'utf8').split('\n').slice(-15).join('\n') : '(nothing)';
}
