import type { ChildProcess } from 'node:child_process';
import { UniferumError } from './errors.js';
import type { WorkOptions } from './process-messages.js';

/** A task that crashed its process: a retry would crash, too. */
export class ProcessKilledError extends Error {}

/** A task that somebody waits for. */
export interface Task<Work, Result, Part> extends WorkOptions<Part> {
  work: Work;
  /** How often a process running it was ended from outside. */
  kills: number;
  resolve: (result: Result) => void;
  reject: (error: unknown) => void;
}

/** A process and its task. */
export interface Helper<Work, Result, Part> {
  child: ChildProcess;
  task: Task<Work, Result, Part> | null;
  taskId: number;
  /** Its modules are loaded. */
  isReady: boolean;
  /** Why we ended it; null when it ended by itself, or was ended from outside. */
  endedFor: string | null;
  /** It is unreachable, or was stopped: its task is not to blame. */
  isLost: boolean;
  timer: NodeJS.Timeout | null;
}

/** The error from the other process, as far as it can be transferred. */
export function failureOf({ message, code }: { message: string; code?: string }): Error {
  return Object.assign(new Error(message), code !== undefined && { code });
}

export function closedError(): Error {
  return new UniferumError('busy', 'This server is shutting down. Try again in a moment.', {
    retryAfterSeconds: 2,
  });
}

export function unstartedError(): Error {
  return new UniferumError('busy', "This host can't start more processes right now. Try again in a moment.", {
    retryAfterSeconds: 5,
  });
}
