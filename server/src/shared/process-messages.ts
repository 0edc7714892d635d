/** How many processes there are, and what they may take. */
export interface PoolOptions {
  /** How many pieces of work are done at a time. */
  processes: number;
  /** A process that needs more is ended, and what it works on is to blame. */
  maxMemoryBytes: number;
  /** Work that gives no sign for longer is given up. */
  timeoutMs: number;
  /** Lets everything else on the host go first. */
  isBackground: boolean;
  /** Where its processes, and the tools that they start, keep what is passing. @defaultValue the system's folder for that */
  scratchDir?: string | null;
  /** A process that had nothing to do for so long is ended. @defaultValue 60000 */
  idleMs?: number;
  /** How much may wait; more is turned away. @defaultValue no limit */
  maxQueued?: number;
  /** How much of one source may wait or be worked on; more is turned away. @defaultValue no limit */
  maxPerSource?: number;
}

/** What the pool tells a process. */
export type ToProcess<Work> = { kind: 'work'; id: number; work: Work } | { kind: 'cancel'; id: number };

/** What a process tells the pool. A part of the result is a sign of life, too. */
export type FromProcess<Result, Part> =
  | { kind: 'ready' }
  | { kind: 'part'; id: number; part: Part }
  | { kind: 'done'; id: number; result: Result }
  | { kind: 'failed'; id: number; message: string; code?: string };

/** How work is done for somebody. */
export interface WorkOptions<Part> {
  signal?: AbortSignal | undefined;
  /** Who wants it: sources take turns. @defaultValue all the same */
  source?: string | undefined;
  /** When the process is ended by somebody else, another one begins anew, and all parts come again. */
  onPart?: ((part: Part) => void) | undefined;
}
