// @ts-check
// Keeps processes running: restarts one that died, with a delay that grows with repeated failures.
import { fork } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { nodeFlags } from './node-flags.mjs';

/** The exit status of a program that would fail again if restarted. Source: sysexits.h, EX_CONFIG. */
const WRONG_CONFIGURATION = 78;
const FIRST_WAIT_MS = 500;
const LONGEST_WAIT_MS = 30_000;
/** After running this long, a process counts as healthy, and the delay is reset. */
const STEADY_MS = 60_000;
const WATCH_MS = 1000;

/**
 * @typedef {object} Supervised
 * @property {Promise<void>} ready when it says for the first time that it is ready; rejected when it ends for good before
 * @property {Promise<number>} ended when it ended for good: on `stop`, by itself without a fault, or with a wrong configuration
 * @property {() => Promise<void>} stop ends it in an orderly way
 * @property {() => number | undefined} pid
 */

/**
 * Starts a process and keeps it running.
 *
 * @param {string} file
 * @param {object} options
 * @param {string} options.name how it is called in what is said
 * @param {string[]} [options.args]
 * @param {Record<string, string>} [options.env]
 * @param {import('node:child_process').StdioOptions} [options.stdio]
 * @param {(sentence: string) => void} [options.say]
 * @param {number} [options.firstWaitMs]
 * @param {number} [options.longestWaitMs]
 * @returns {Supervised}
 */
export function supervise(
  file,
  {
    name,
    args = [],
    env = {},
    stdio = 'inherit',
    say = console.error,
    firstWaitMs = FIRST_WAIT_MS,
    longestWaitMs = LONGEST_WAIT_MS,
  },
) {
  let isStopping = false;
  let waitMs = firstWaitMs;
  /** @type {import('node:child_process').ChildProcess | null} */
  let child = null;
  /** @type {NodeJS.Timeout | null} */
  let timer = null;
  const ready = withResolvers();
  const ended = withResolvers();
  ready.promise.catch(() => {});

  /** @param {number} code */
  const finish = (code) => {
    ready.reject(new Error(`The ${name} ended (${code}) before it was ready.`));
    ended.resolve(code);
  };
  const start = () => {
    timer = null;
    const startedAt = Date.now();
    const started = fork(file, args, {
      execArgv: [...process.execArgv, ...nodeFlags(file)],
      env: { ...process.env, ...env },
      stdio: Array.isArray(stdio) ? stdio : ['ignore', stdio, stdio, 'ipc'],
      // In its own process group: a signal reaches only this process, which then stops the child in order.
      detached: true,
    });
    child = started;
    started.once('message', () => ready.resolve(undefined));
    started.once('error', (error) => say(`The ${name} can't be started: ${error.message}.`));
    started.once('exit', (code, signal) => {
      child = null;
      const how = signal ?? `exit ${code}`;
      if (isStopping || code === 0) finish(code ?? 0);
      else if (code === WRONG_CONFIGURATION) {
        say(`The ${name} ended (${how}). Its configuration has to be put right before it can start.`);
        finish(WRONG_CONFIGURATION);
      } else {
        if (Date.now() - startedAt > STEADY_MS) waitMs = firstWaitMs;
        say(`The ${name} died (${how}). It is started again in ${(waitMs / 1000).toFixed(1)} s.`);
        timer = setTimeout(start, waitMs);
        waitMs = Math.min(longestWaitMs, waitMs * 2);
      }
    });
  };
  start();
  return {
    ready: ready.promise,
    ended: ended.promise,
    pid: () => child?.pid,
    stop: async () => {
      isStopping = true;
      if (timer) {
        clearTimeout(timer);
        finish(0);
      } else child?.kill('SIGTERM');
      await ended.promise;
    },
  };
}

/**
 * Calls back once when the parent process, or the npm above it, has exited: npm forwards signals to a shell, which exits
 * without forwarding them.
 *
 * @param {() => void} callback
 */
export function whenAbandoned(callback) {
  const parent = process.ppid;
  const npm = process.env.npm_lifecycle_event === undefined ? null : findNpm(parent);
  const timer = setInterval(() => {
    if (process.ppid === parent && (npm === null || isAlive(npm))) return;
    clearInterval(timer);
    callback();
  }, WATCH_MS);
  timer.unref();
}

/** The process title of npm, or its command. */
const NPM = /^(?:npm |\S*node \S*npm(?:-cli\.js)? )/;

/** The nearest npm above a process; null when there is none. @param {number} pid @returns {number | null} */
function findNpm(pid) {
  for (let above = pid, steps = 0; above > 1 && steps < 5; steps += 1) {
    try {
      if (NPM.test(readFileSync(`/proc/${above}/cmdline`, 'utf8').replaceAll('\0', ' '))) return above;
      // The process name is in parentheses and may contain anything; the parent is the second field after it.
      const stat = readFileSync(`/proc/${above}/stat`, 'utf8');
      above = Number(stat.slice(stat.lastIndexOf(')') + 2).split(' ')[1]);
    } catch {
      return null;
    }
  }
  return null;
}

/** @param {number} pid */
function isAlive(pid) {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
}

/** @returns {{ promise: Promise<any>, resolve: (value: any) => void, reject: (error: Error) => void }} */
function withResolvers() {
  /** @type {(value: any) => void} */
  let resolve = () => {};
  /** @type {(error: Error) => void} */
  let reject = () => {};
  const promise = new Promise((yes, no) => {
    resolve = yes;
    reject = no;
  });
  return { promise, resolve, reject };
}
