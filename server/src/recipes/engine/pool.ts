import { type ChildProcess, fork } from 'node:child_process';
import { readFile } from 'node:fs/promises';
import { constants, setPriority } from 'node:os';
import type { RenderJob, RenderResult, WrittenFile } from './job.js';
import type { OptimiseJob, OptimiseResult } from './optimise.js';
import type { FromProcess, ToProcess } from './process.js';

export interface PoolOptions {
  /** How many pictures are worked on at a time. */
  processes: number;
  /** A process that needs more is ended, and the picture it works on is to blame. */
  maxMemoryBytes: number;
  /** A picture that takes longer is given up. */
  timeoutMs: number;
  /** Lets everything else on the host go first. */
  isBackground: boolean;
}

/** A picture that cost a process its life: trying it again would come to the same. */
export class PictureKilledError extends Error {}

type Work =
  | { kind: 'render'; job: RenderJob; outDir: string | null }
  | { kind: 'optimise'; job: OptimiseJob };

interface Task {
  work: Work;
  signal: AbortSignal | undefined;
  resolve: (result: never) => void;
  reject: (error: unknown) => void;
}

interface Helper {
  child: ChildProcess;
  task: Task | null;
  taskId: number;
  /** Why we ended it; null when it ended by itself. */
  endedFor: string | null;
}

const WATCH_MS = 200;
const PAGE_BYTES = 4096;

/**
 * Rendering processes. Decoders run on what strangers send, so each picture is worked on in a process that may die: it
 * takes that picture with it and nothing else. Processes are started when they are needed.
 */
export class RenderPool {
  readonly #options: PoolOptions;
  readonly #helpers = new Set<Helper>();
  readonly #waiting: Task[] = [];
  #nextId = 1;
  #isClosed = false;
  #watch: NodeJS.Timeout | null = null;

  constructor(options: PoolOptions) {
    this.#options = options;
  }

  /**
   * Renders a file.
   *
   * @throws PictureKilledError when the process died of it; the signal's reason when it aborts, which also takes a job
   * out of the queue that nobody waits for any more
   */
  run(job: RenderJob, signal?: AbortSignal): Promise<RenderResult> {
    return this.#queue({ kind: 'render', job, outDir: null }, signal);
  }

  /** Renders a file, and writes what is made into a folder; fails like {@link run}. */
  runInto(outDir: string, job: RenderJob, signal?: AbortSignal): Promise<RenderResult<WrittenFile>> {
    return this.#queue({ kind: 'render', job, outDir }, signal);
  }

  /** Makes a file smaller; fails like {@link run}. */
  optimise(job: OptimiseJob, signal?: AbortSignal): Promise<OptimiseResult> {
    return this.#queue({ kind: 'optimise', job }, signal);
  }

  #queue<Result>(work: Work, signal: AbortSignal | undefined): Promise<Result> {
    if (this.#isClosed) return Promise.reject(new Error('The rendering processes are closed.'));
    return new Promise((resolve, reject) => {
      if (signal?.aborted) {
        reject(signal.reason);
        return;
      }
      const task: Task = { work, signal, resolve, reject };
      signal?.addEventListener('abort', () => this.#cancel(task), { once: true });
      this.#waiting.push(task);
      this.#dispatch();
    });
  }

  /** How many jobs wait for a process. */
  get queued(): number {
    return this.#waiting.length;
  }

  /** The process ids, for who watches them. */
  get pids(): number[] {
    return [...this.#helpers].flatMap(({ child }) => child.pid ?? []);
  }

  /** Ends all processes; what is being worked on is rejected. */
  async close(): Promise<void> {
    this.#isClosed = true;
    for (const task of this.#waiting.splice(0)) task.reject(new Error('The rendering processes are closed.'));
    const ends = [...this.#helpers].map((helper) => this.#end(helper, 'it was shut down'));
    await Promise.all(ends);
  }

  #dispatch(): void {
    while (this.#waiting.length > 0) {
      const free =
        [...this.#helpers].find(({ task, endedFor }) => task === null && endedFor === null) ??
        (this.#helpers.size < this.#options.processes ? this.#start() : null);
      const task = free && this.#waiting.shift();
      if (!free || !task) return;
      free.task = task;
      free.taskId = this.#nextId++;
      this.#send(free, { ...task.work, id: free.taskId });
      this.#limitTime(free, task);
    }
  }

  #start(): Helper {
    // In the background a process keeps to one processor, and there are as many as pictures are to be worked on; somebody
    // who waits gets all that there is.
    const threads = this.#options.isBackground ? { UV_THREADPOOL_SIZE: '1' } : {};
    const child = fork(processScript(), {
      serialization: 'advanced',
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      env: { ...process.env, ...threads },
    });
    const helper: Helper = { child, task: null, taskId: 0, endedFor: null };
    this.#helpers.add(helper);
    if (this.#options.isBackground && child.pid !== undefined) lower(child.pid);
    child.on('message', (message: FromProcess) => this.#take(helper, message));
    child.on('error', () => {});
    child.on('exit', (code, signal) => this.#bury(helper, code, signal));
    this.#watch ??= setInterval(() => void this.#watchMemory(), WATCH_MS).unref();
    return helper;
  }

  #take(helper: Helper, message: FromProcess): void {
    if (message.kind === 'ready' || message.id !== helper.taskId) return;
    const { task } = helper;
    helper.task = null;
    if (message.kind === 'done') task?.resolve(message.result as never);
    else task?.reject(task.signal?.aborted ? task.signal.reason : new Error(message.message));
    this.#dispatch();
  }

  #bury(helper: Helper, code: number | null, signal: NodeJS.Signals | null): void {
    this.#helpers.delete(helper);
    if (this.#helpers.size === 0 && this.#watch) {
      clearInterval(this.#watch);
      this.#watch = null;
    }
    const { task, endedFor } = helper;
    helper.task = null;
    if (task?.signal?.aborted) task.reject(task.signal.reason);
    else if (this.#isClosed) task?.reject(new Error('The rendering processes are closed.'));
    else
      task?.reject(
        new PictureKilledError(
          `it ended the process that worked on it (${endedFor ?? (signal ? `signal ${signal}` : `exit ${code}`)})`,
        ),
      );
    if (!this.#isClosed) this.#dispatch();
  }

  #cancel(task: Task): void {
    const at = this.#waiting.indexOf(task);
    if (at >= 0) {
      this.#waiting.splice(at, 1);
      task.reject(task.signal?.reason);
      return;
    }
    const helper = [...this.#helpers].find((one) => one.task === task);
    if (helper) this.#send(helper, { kind: 'cancel', id: helper.taskId });
  }

  #limitTime(helper: Helper, task: Task): void {
    const timer = setTimeout(() => {
      if (helper.task === task)
        void this.#end(helper, `it took longer than ${Math.round(this.#options.timeoutMs / 1000)} s`);
    }, this.#options.timeoutMs);
    timer.unref();
    const stop = () => clearTimeout(timer);
    const { resolve, reject } = task;
    task.resolve = (result) => {
      stop();
      resolve(result);
    };
    task.reject = (error) => {
      stop();
      reject(error);
    };
  }

  async #watchMemory(): Promise<void> {
    for (const helper of this.#helpers) {
      if (helper.endedFor !== null || helper.child.pid === undefined) continue;
      const bytes = await residentBytes(helper.child.pid);
      if (bytes > this.#options.maxMemoryBytes)
        void this.#end(
          helper,
          `it needed more than ${Math.round(this.#options.maxMemoryBytes / 1_000_000)} MB of memory`,
        );
    }
  }

  #end(helper: Helper, reason: string): Promise<void> {
    helper.endedFor ??= reason;
    return new Promise((resolve) => {
      if (helper.child.exitCode !== null || helper.child.signalCode !== null) resolve();
      else {
        helper.child.once('exit', () => resolve());
        helper.child.kill('SIGKILL');
      }
    });
  }

  #send(helper: Helper, message: ToProcess): void {
    // A process that dies right now says so by its end.
    helper.child.send(message, () => {});
  }
}

/** Tests run the sources; a process of its own runs what was built of them. */
function processScript(): string {
  return new URL('./process.js', import.meta.url).pathname.replace('/server/src/', '/server/dist/');
}

function lower(pid: number): void {
  try {
    setPriority(pid, constants.priority.PRIORITY_BELOW_NORMAL);
  } catch {
    // It has ended already, or the host doesn't allow it: it works at the usual priority.
  }
}

/** What a process holds in memory; 0 where the system doesn't tell. Source: proc(5), /proc/pid/statm. */
async function residentBytes(pid: number): Promise<number> {
  const text = await readFile(`/proc/${pid}/statm`, 'utf8').catch(() => '');
  return Number(text.split(' ')[1] ?? 0) * PAGE_BYTES;
}
