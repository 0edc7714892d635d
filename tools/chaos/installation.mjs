// @ts-check
// An installation to be killed: two servers, three workers and a MariaDB, each restarted after a kill.
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, openSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { findFreePort, startMariaDb } from '../mariadb.mjs';
import { ROOT, VAR } from '../prepare.mjs';
import { supervise } from '../supervisor.mjs';

const SERVERS = 2;
const WORKERS = 3;
const RESTART = { firstWaitMs: 200, longestWaitMs: 1000 };
/** How often cleanup jobs run during the test and after it. */
const SWEEP_MS = 5000;

/** @typedef {{ name: string, kind: Kind, pid: () => number | undefined }} Target */
/** @typedef {'server' | 'worker' | 'database' | 'child'} Kind */

/** @param {{ allowedHosts: string }} options */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: what is started here is ended here
export async function startInstallation({ allowedHosts }) {
  mkdirSync(VAR, { recursive: true });
  const folder = mkdtempSync(join(VAR, 'chaos-'));
  const log = openSync(join(VAR, 'chaos.log'), 'w');
  const inbox = join(folder, 'inbox');
  mkdirSync(inbox);
  const databaseFolder = join(folder, 'mariadb');
  let database = await startMariaDb(databaseFolder);
  const ports = await Promise.all(Array.from({ length: SERVERS }, findFreePort));
  const urls = ports.map((port) => `http://127.0.0.1:${port}`);
  const env = {
    UNIFERUM_PUBLIC_URL: /** @type {string} */ (urls[0]),
    UNIFERUM_DB_PORT: String(database.port),
    UNIFERUM_DB_USER: database.user,
    UNIFERUM_DB_PASSWORD: database.password,
    UNIFERUM_DATA_DIR: join(folder, 'data'),
    UNIFERUM_INBOX_DIR: inbox,
    UNIFERUM_INBOX_SETTLE_MS: '0',
    UNIFERUM_ALLOWED_HOSTS: allowedHosts,
    UNIFERUM_LEASE_MS: '3000',
    UNIFERUM_REQUEST_LEASE_MS: '2000',
    UNIFERUM_RENDER_TIMEOUT_MS: '8000',
    UNIFERUM_SWEEP_MS: String(SWEEP_MS),
    UNIFERUM_LOG_LEVEL: 'warn',
  };
  const stdio = /** @type {import('node:child_process').StdioOptions} */ (['ignore', log, log, 'ipc']);
  const servers = ports.map((port) =>
    keepUp('server/dist/main.js', { env: { ...env, UNIFERUM_PORT: String(port) }, stdio }),
  );
  const workers = Array.from({ length: WORKERS }, () => keepUp('server/dist/worker-main.js', { env, stdio }));
  await Promise.all([...servers, ...workers].map(({ ready }) => ready));
  const key = spawnSync(process.execPath, [join(ROOT, 'server/dist/admin.js'), 'key', '--name', 'Chaos'], {
    env: { ...process.env, ...env },
    encoding: 'utf8',
  }).stdout.trim();
  if (key === '') throw new Error('No key could be made; see var/chaos.log.');

  /** @returns {Target[]} */
  const targets = () => [
    ...servers.map(({ pid }, n) => ({ name: `server ${n + 1}`, kind: /** @type {const} */ ('server'), pid })),
    ...workers.map(({ pid }, n) => ({ name: `worker ${n + 1}`, kind: /** @type {const} */ ('worker'), pid })),
    { name: 'database', kind: 'database', pid: () => database.pid },
    ...childrenOf([...servers, ...workers].map(({ pid }) => pid())).map((pid) => ({
      name: `child ${pid}`,
      kind: /** @type {const} */ ('child'),
      pid: () => pid,
    })),
  ];
  const restartDatabase = async () => {
    database = await startMariaDb(databaseFolder, { port: database.port });
  };
  const close = async () => {
    await Promise.all([...servers, ...workers].map(({ stop }) => stop()));
    await database.stop();
    for (const end of endings) end();
  };
  /** @type {(() => void)[]} */
  const endings = [];
  return {
    /** @param {() => void} ending */
    onClose: (ending) => endings.push(ending),
    env,
    folder,
    inbox,
    urls,
    key,
    dataDir: env.UNIFERUM_DATA_DIR,
    database: () => database,
    targets,
    restartDatabase,
    close,
    remove: () => rmSync(folder, { recursive: true, force: true }),
    pids: () => [...servers, ...workers].map(({ pid }) => pid()),
  };
}

/** @typedef {Awaited<ReturnType<typeof startInstallation>>} Installation */

/**
 * Keeps a process running even after a clean exit, as a host does that restarts it after an update.
 *
 * @param {string} file
 * @param {{ env: Record<string, string>, stdio: import('node:child_process').StdioOptions }} options
 */
function keepUp(file, options) {
  let isClosing = false;
  const start = () => {
    const started = supervise(join(ROOT, file), { name: file, say: () => {}, ...RESTART, ...options });
    void started.ended.then(() => {
      if (!isClosing) current = start();
    });
    return started;
  };
  let current = start();
  return {
    ready: current.ready,
    pid: () => current.pid(),
    stop: () => {
      isClosing = true;
      return current.stop();
    },
  };
}

/** The processes that were started by some. @param {(number | undefined)[]} parents @returns {number[]} */
export function childrenOf(parents) {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .map(Number)
    .filter((pid) => {
      const { state, parent } = readStat(pid);
      return state !== '' && state !== 'Z' && parents.includes(parent);
    });
}

/** @param {number} pid */
function isStopped(pid) {
  return readStat(pid).state === 'T';
}

/** What a process does, and who started it; an empty state when it has gone. @param {number} pid */
function readStat(pid) {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    // The name is in parentheses and may contain anything; state and parent follow it.
    const [state = '', parent] = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
    return { state, parent: Number(parent) };
  } catch {
    return { state: '', parent: 0 };
  }
}

/**
 * Kills processes one after another at seeded random times, up to the requested number.
 *
 * @param {Installation} installation
 * @param {import('../random.mjs').Random} random
 * @param {{ kills: number, onKill: (count: number, target: string) => void }} options
 * @returns {Promise<Record<string, number>>} how often each kind was killed
 */
export async function killAtRandom(installation, random, { kills, onKill }) {
  /** @type {Record<string, number>} */
  const counts = {};
  /** @type {Promise<void>} */
  let restart = Promise.resolve();
  let isDatabaseUp = true;
  /** @type {number[]} */
  const stopped = [];
  for (let count = 0; count < kills; ) {
    await delay(random.between(50, 1000));
    const kind = kindOf(random.next());
    const running = installation
      .targets()
      .filter((target) => target.kind === kind && target.pid() !== undefined)
      .filter(() => kind !== 'database' || isDatabaseUp);
    if (running.length === 0) continue;
    const target = random.pick(running);
    const signal = signalFor(kind, random.next());
    if (!signalTo(target.pid(), signal)) continue;
    if (kind === 'database') {
      isDatabaseUp = false;
      restart = delay(random.between(0, 2500))
        .then(installation.restartDatabase)
        .then(() => {
          isDatabaseUp = true;
        });
      // Awaited at the end, where a failed start is reported.
      restart.catch(() => {});
    }
    if (signal === 'SIGSTOP') stopped.push(/** @type {number} */ (target.pid()));
    count += 1;
    const what = signal === 'SIGKILL' ? kind : `${kind} (${signal})`;
    counts[what] = (counts[what] ?? 0) + 1;
    onKill(count, `${target.name} ${signal}`);
  }
  await restart;
  // A suspended process does not notice that its parent was killed.
  installation.onClose(() => {
    for (const pid of stopped.filter(isStopped)) signalTo(pid, 'SIGKILL');
  });
  return counts;
}

/** @param {number} chance @returns {Kind} */
function kindOf(chance) {
  if (chance < 0.25) return 'server';
  if (chance < 0.55) return 'worker';
  if (chance < 0.9) return 'child';
  return 'database';
}

/** A child is stopped now and then, as one that hangs; a server or a worker is asked to end. @param {Kind} kind @param {number} chance */
function signalFor(kind, chance) {
  if (kind === 'child' && chance < 0.1) return 'SIGSTOP';
  if ((kind === 'server' || kind === 'worker') && chance < 0.15) return 'SIGTERM';
  return 'SIGKILL';
}

/** @param {number | undefined} pid @param {NodeJS.Signals} signal */
function signalTo(pid, signal) {
  if (pid === undefined) return false;
  try {
    process.kill(pid, signal);
    return true;
  } catch {
    return false;
  }
}
