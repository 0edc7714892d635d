/** The states of a run. Faulty: it ended, and some items failed. Failed: it could not be carried out at all. */
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
  /** Whether what it changed can be taken back. */
  canUndo: boolean;
  /** The run whose changes it took back; null otherwise. */
  undoOf: string | null;
  /** Items per second over the last while; null while nothing moves. */
  rate: number | null;
  secondsLeft: number | null;
  /** Why it rests: what it runs on has a fault, such as a full disk. It goes on by itself when that is gone. */
  heldReason: string | null;
  /** What the files that it touched took up before and take up now; null where a run is not about that. */
  bytes: { before: number; after: number } | null;
}

/** One unit of a run's work. */
export interface RunItem {
  id: string;
  title: string;
  state: ItemState;
  attempts: number;
  /** What it made or why it was skipped. */
  note: string | null;
  /** Why the last attempt failed. */
  error: string | null;
  bytes: { before: number; after: number } | null;
  startedAt: string | null;
  finishedAt: string | null;
}

/** A process that works through runs. */
export interface WorkerAnswer {
  id: string;
  host: string;
  pid: number;
  /** How many items it works on at a time. */
  slots: number;
  startedAt: string;
  seenAt: string;
  isAlive: boolean;
  /** What it holds now. */
  items: { run: string; title: string; kind: string; since: string }[];
  /** Of the last hour. */
  done: number;
  failed: number;
  /** How much of the last hour's time its slots were at work, 0–1. */
  busy: number;
}

/** What was done in one minute by all workers together. */
export interface ThroughputMinute {
  at: string;
  done: number;
  failed: number;
}

/** Everything that the view of the workers shows. */
export interface WorkersAnswer {
  workers: WorkerAnswer[];
  throughput: ThroughputMinute[];
  /** What waits, by kind of run. */
  queue: { kind: string; waiting: number; working: number }[];
}

export interface RunCounts {
  total: number;
  done: number;
  failed: number;
  skipped: number;
}

/** How many items have an end. */
export function endedItems(counts: RunCounts): number {
  return counts.done + counts.failed + counts.skipped;
}

/** Tells whether a run can still move without anybody's help. */
export function isActive(state: RunState): boolean {
  return state === 'waiting' || state === 'working' || state === 'stopping';
}

/** The state of a run when every item has its end. */
export function finalState(counts: RunCounts): 'done' | 'faulty' {
  return counts.failed > 0 ? 'faulty' : 'done';
}
