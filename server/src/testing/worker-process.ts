import { type ChildProcess, fork } from 'node:child_process';
import { once } from 'node:events';
import type { TestServer } from './harness.js';

const WORKER = new URL('../../dist/worker-main.js', import.meta.url);

/** Starts a worker of an installation as a process of its own, that can be killed. What it held is free again soon. */
export async function startWorkerProcess({ env }: Pick<TestServer, 'env'>): Promise<ChildProcess> {
  const child = fork(WORKER, {
    env: { ...process.env, ...env, UNIFERUM_LEASE_MS: '2000' },
    stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
  });
  await once(child, 'message');
  return child;
}

/** Kills a process, and waits for its end. */
export async function killProcess(child: ChildProcess): Promise<void> {
  const ended = once(child, 'exit');
  child.kill('SIGKILL');
  await ended;
}
