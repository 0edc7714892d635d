/** The states of a run. Faulty: finished, but some items failed. Failed: it could not be run at all. */
export const RUN_STATES = ['waiting', 'working', 'stopping', 'stopped', 'done', 'faulty', 'failed'] as const;
export type RunState = (typeof RUN_STATES)[number];

export const ITEM_STATES = ['waiting', 'working', 'done', 'skipped', 'failed', 'stopped'] as const;
export type ItemState = (typeof ITEM_STATES)[number];

/** One background job. */
export interface Run {
  id: string;
  kind: string;
  title: string;
  state: RunState;
  total: number;
  done: number;
  failed: number;
  skipped: number;
  startedAt: string | null;
  finishedAt: string | null;
  createdAt: string;
  /** Whether its changes can be undone. */
  canUndo: boolean;
  /** The run whose changes it undid; null otherwise. */
  undoOf: string | null;
  /** Items per second recently; null while nothing is being processed. */
  rate: number | null;
  secondsLeft: number | null;
  /** Why it is paused: something it depends on is faulty, such as a full disk. It resumes by itself afterwards. */
  heldReason: string | null;
  /** The bytes of affected files before and after; null where not applicable. */
  bytes: { before: number; after: number } | null;
}

/** One unit of a run's work. */
export interface RunItem {
  id: string;
  title: string;
  state: ItemState;
  attempts: number;
  /** What was made, or why it was skipped. */
  note: string | null;
  /** Why the last attempt failed. */
  error: string | null;
  bytes: { before: number; after: number } | null;
  startedAt: string | null;
  finishedAt: string | null;
}

/** A process that works on runs. */
export interface WorkerAnswer {
  id: string;
  host: string;
  pid: number;
  /** How many items it processes concurrently. */
  slots: number;
  startedAt: string;
  seenAt: string;
  isAlive: boolean;
  /** The items it is processing. */
  items: { run: string; title: string; kind: string; since: string }[];
  /** In the last hour. */
  done: number;
  failed: number;
  /** The fraction of the last hour in which its slots were busy, 0–1. */
  busy: number;
}

/** What all workers did in one minute. */
export interface ThroughputMinute {
  at: string;
  done: number;
  failed: number;
}

/** The data of the workers view. */
export interface WorkersAnswer {
  workers: WorkerAnswer[];
  throughput: ThroughputMinute[];
  /** The queue by run kind. */
  queue: { kind: string; waiting: number; working: number }[];
}

export interface RunCounts {
  total: number;
  done: number;
  failed: number;
  skipped: number;
}

/** The number of finished items. */
export function endedItems(counts: RunCounts): number {
  return counts.done + counts.failed + counts.skipped;
}

/** Tells whether a run can still progress by itself. */
export function isActive(state: RunState): boolean {
  return state === 'waiting' || state === 'working' || state === 'stopping';
}

/** The state of a run when every item is finished. */
export function finalState(counts: RunCounts): 'done' | 'faulty' {
  return counts.failed > 0 ? 'faulty' : 'done';
}
