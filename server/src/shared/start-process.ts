import { type ChildProcess, fork } from 'node:child_process';
import { constants } from 'node:os';
import type { PoolOptions } from './process-messages.js';
import { lowerPriority } from './process-signals.js';

/** The priority of work that somebody waits for: below the server itself, which has to answer everybody else. */
const WAITED_FOR = 5;

/** Starts a process of a pool. @throws Error when the host is out of processes, memory or file descriptors */
export function startProcess(
  script: string,
  { isBackground, scratchDir = null }: Pick<PoolOptions, 'isBackground' | 'scratchDir'>,
): ChildProcess {
  // In the background each process uses one processor, and there are as many processes as concurrent tasks; when
  // somebody waits, a process uses all processors.
  const threads = isBackground ? { UV_THREADPOOL_SIZE: '1' } : {};
  const child = fork(script, {
    serialization: 'advanced',
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    execArgv: ['--disable-proto=delete'],
    // A process group of its own, so that tools it starts end with it.
    detached: true,
    env: { ...process.env, ...threads, ...(scratchDir !== null && { TMPDIR: scratchDir }) },
  });
  if (child.pid !== undefined)
    lowerPriority(child.pid, isBackground ? constants.priority.PRIORITY_BELOW_NORMAL : WAITED_FOR);
  return child;
}
