import type { ChildProcess } from 'node:child_process';
import { UniferumError } from './errors.js';
import type { WorkOptions } from './process-messages.js';

/** Work that cost its process its life: trying it again would come to the same. */
export class ProcessKilledError extends Error {}

/** Work that somebody waits for. */
export interface Task<Work, Result, Part> extends WorkOptions<Part> {
  work: Work;
  /** How often a process that worked on it was ended by somebody else. */
  kills: number;
  resolve: (result: Result) => void;
  reject: (error: unknown) => void;
}

/** A process, and what it works on. */
export interface Helper<Work, Result, Part> {
  child: ChildProcess;
  task: Task<Work, Result, Part> | null;
  taskId: number;
  /** Why we ended it; null when it ended by itself, or somebody else ended it. */
  endedFor: string | null;
  /** It can't be told anything any more, or was stopped: what it works on had no part in that. */
  isLost: boolean;
  timer: NodeJS.Timeout | null;
}

/** The failure as it was on the other side, as far as it crosses. */
export function failureOf({ message, code }: { message: string; code?: string }): Error {
  return Object.assign(new Error(message), code !== undefined && { code });
}

export function closedError(): Error {
  return new UniferumError('busy', 'This server is shutting down. Try again in a moment.', {
    retryAfterSeconds: 2,
  });
}

export function unstartedError(): Error {
  return new UniferumError('busy', 'This host can’t start more processes right now. Try again in a moment.', {
    retryAfterSeconds: 5,
  });
}
