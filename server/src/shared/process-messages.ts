/** The number of processes, and their limits. */
export interface PoolOptions {
  /** How many tasks run concurrently. */
  processes: number;
  /** A process that uses more memory is ended, and its task is to blame. */
  maxMemoryBytes: number;
  /** A task without a sign of life for longer is abandoned. */
  timeoutMs: number;
  /** Runs at a lower priority than everything else on the host. */
  isBackground: boolean;
  /** The temporary folder of its processes and of the tools they start. @defaultValue the system's */
  scratchDir?: string | null;
  /** A process that is idle for this long is ended. @defaultValue 60000 */
  idleMs?: number;
  /** The maximum queue length; further tasks are rejected. @defaultValue no limit */
  maxQueued?: number;
  /** The maximum number of tasks of one source, queued and running; further ones are rejected. @defaultValue no limit */
  maxPerSource?: number;
}

/** What the pool tells a process. */
export type ToProcess<Work> = { kind: 'work'; id: number; work: Work } | { kind: 'cancel'; id: number };

/** What a process tells the pool. A partial result is also a sign of life. */
export type FromProcess<Result, Part> =
  | { kind: 'ready' }
  | { kind: 'part'; id: number; part: Part }
  | { kind: 'done'; id: number; result: Result }
  | { kind: 'failed'; id: number; message: string; code?: string };

/** How a task is run. */
export interface WorkOptions<Part> {
  signal?: AbortSignal | undefined;
  /** Who requested it: sources take turns. @defaultValue all the same */
  source?: string | undefined;
  /** When something else ends the process, another one starts over, and sends all partial results again. */
  onPart?: ((part: Part) => void) | undefined;
}
