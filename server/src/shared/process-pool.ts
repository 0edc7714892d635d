import { UniferumError } from './errors.js';
import type { FromProcess, PoolOptions, ToProcess, WorkOptions } from './process-messages.js';
import { endGroup, isStopped, residentBytes } from './process-signals.js';
import {
  closedError,
  failureOf,
  type Helper,
  ProcessKilledError,
  type Task,
  unstartedError,
} from './process-task.js';
import { startProcess } from './start-process.js';
import { TurnQueue } from './turn-queue.js';

const WATCH_MS = 200;
/** How long a process may take to load its modules: on a busy host several seconds, which no task is to blame for. */
const START_MS = 30_000;
/** How often a task may lose its process to something outside: a host that runs out of memory kills arbitrary processes. */
const FORGIVEN_KILLS = 3;
/** A process that crashes may have been damaged by an earlier task. */
const FORGIVEN_CRASHES = 1;
/** Signals by which others end a process; with other signals it ended itself. Source: signal(7). */
const FROM_OUTSIDE: ReadonlySet<NodeJS.Signals | null> = new Set(['SIGKILL', 'SIGTERM', 'SIGINT', 'SIGHUP']);

/**
 * Processes for untrusted work: decoders and parsers may crash, which then affects only that one task. They are
 * started on demand. Sources take turns, and cancelled tasks leave the queue.
 */
export class ProcessPool<Work, Result, Part = never> {
  readonly #script: string;
  readonly #options: Required<PoolOptions>;
  readonly #helpers = new Set<Helper<Work, Result, Part>>();
  readonly #waiting = new TurnQueue<Task<Work, Result, Part>>();
  readonly #perSource = new Map<string, number>();
  #nextId = 1;
  #isClosed = false;
  #watch: NodeJS.Timeout | null = null;

  /** @param script the module that a process runs; see `serveProcess` */
  constructor(script: URL, options: PoolOptions) {
    // Tests run the sources; a separate process runs the compiled ones.
    this.#script = script.pathname.replace('/server/src/', '/server/dist/');
    this.#options = {
      idleMs: 60_000,
      scratchDir: null,
      maxQueued: Number.POSITIVE_INFINITY,
      maxPerSource: Number.POSITIVE_INFINITY,
      ...options,
    };
  }

  /**
   * Runs a task.
   *
   * @throws ProcessKilledError when the process died of it; the signal's reason when it aborts; UniferumError
   * `too-many-requests` or `busy` when the queue is full
   */
  run(work: Work, options: WorkOptions<Part> = {}): Promise<Result> {
    const { signal, source = '' } = options;
    if (this.#isClosed) return Promise.reject(closedError());
    return new Promise((resolve, reject) => {
      signal?.throwIfAborted();
      this.#requireRoom(source);
      this.#count(source, 1);
      const leave = () => {
        signal?.removeEventListener('abort', cancel);
        this.#count(source, -1);
      };
      const task: Task<Work, Result, Part> = {
        ...options,
        work,
        kills: 0,
        resolve: (result) => {
          leave();
          resolve(result);
        },
        reject: (error) => {
          leave();
          reject(error);
        },
      };
      const cancel = () => this.#cancel(task);
      signal?.addEventListener('abort', cancel, { once: true });
      this.#waiting.add(task);
      this.#dispatch();
    });
  }

  /** The number of queued tasks. */
  get queued(): number {
    return this.#waiting.size;
  }

  /** The ids of the processes, for monitoring. */
  get pids(): number[] {
    return [...this.#helpers].flatMap(({ child }) => child.pid ?? []);
  }

  /** Ends all processes; running tasks are rejected. */
  async close(): Promise<void> {
    this.#isClosed = true;
    const waiting = this.#waiting.clear();
    for (const task of waiting) task.reject(closedError());
    await Promise.all([...this.#helpers].map((helper) => this.#end(helper, 'it was shut down')));
  }

  #requireRoom(source: string): void {
    if ((this.#perSource.get(source) ?? 0) >= this.#options.maxPerSource)
      throw new UniferumError(
        'too-many-requests',
        'Many pictures are already being created for you. Wait for some of them before requesting more.',
        { retryAfterSeconds: 2 },
      );
    if (this.queued >= this.#options.maxQueued)
      throw new UniferumError('busy', 'Many pictures are waiting to be created. Try again in a moment.', {
        retryAfterSeconds: 5,
      });
  }

  #count(source: string, by: 1 | -1): void {
    const count = (this.#perSource.get(source) ?? 0) + by;
    if (count > 0) this.#perSource.set(source, count);
    else this.#perSource.delete(source);
  }

  #dispatch(): void {
    while (!this.#isClosed && this.#waiting.size > 0) {
      const idle = [...this.#helpers].find(
        ({ task, endedFor, isLost }) => task === null && endedFor === null && !isLost,
      );
      if (!idle && this.#helpers.size >= this.#options.processes) return;
      const task = this.#waiting.take();
      if (!task) return;
      const free = idle ?? this.#tryStart();
      if (free === null) {
        task.reject(unstartedError());
        continue;
      }
      free.task = task;
      free.taskId = this.#nextId++;
      this.#watchTime(free);
      this.#send(free, { kind: 'work', id: free.taskId, work: task.work });
    }
  }

  #tryStart(): Helper<Work, Result, Part> | null {
    try {
      return this.#start();
    } catch {
      // The host is out of processes, memory or file descriptors.
      return null;
    }
  }

  #start(): Helper<Work, Result, Part> {
    const child = startProcess(this.#script, this.#options);
    const helper: Helper<Work, Result, Part> = {
      child,
      task: null,
      taskId: 0,
      isReady: false,
      endedFor: null,
      isLost: false,
      timer: null,
    };
    this.#helpers.add(helper);
    child.on('message', (message: FromProcess<Result, Part>) => this.#take(helper, message));
    // A process that could not be started, or whose channel failed, emits no exit event.
    child.on('error', () => this.#giveUp(helper));
    child.on('exit', (code, signal) => this.#bury(helper, code, signal));
    this.#watch ??= setInterval(() => void this.#watchMemory(), WATCH_MS).unref();
    return helper;
  }

  #take(helper: Helper<Work, Result, Part>, message: FromProcess<Result, Part>): void {
    const { task } = helper;
    if (message.kind === 'ready') {
      helper.isReady = true;
      if (task) this.#watchTime(helper);
      return;
    }
    if (message.id !== helper.taskId) return;
    if (message.kind === 'part') {
      this.#watchTime(helper);
      task?.onPart?.(message.part);
      return;
    }
    helper.task = null;
    if (message.kind === 'done') task?.resolve(message.result);
    else task?.reject(task.signal?.aborted ? task.signal.reason : failureOf(message));
    this.#watchIdleness(helper);
    this.#dispatch();
  }

  #giveUp(helper: Helper<Work, Result, Part>): void {
    helper.isLost = true;
    if (helper.child.pid === undefined) this.#bury(helper, null, null);
    else void this.#kill(helper);
  }

  #bury(helper: Helper<Work, Result, Part>, code: number | null, signal: NodeJS.Signals | null): void {
    if (!this.#helpers.delete(helper)) return;
    if (helper.timer) clearTimeout(helper.timer);
    endGroup(helper.child);
    if (this.#helpers.size === 0 && this.#watch) {
      clearInterval(this.#watch);
      this.#watch = null;
    }
    const { task } = helper;
    helper.task = null;
    if (task && helper.child.pid === undefined) task.reject(unstartedError());
    else if (task) this.#settle(task, helper, code, signal);
    this.#dispatch();
  }

  #settle(
    task: Task<Work, Result, Part>,
    { endedFor, isLost }: Helper<Work, Result, Part>,
    code: number | null,
    signal: NodeJS.Signals | null,
  ): void {
    const forgiven = isLost || FROM_OUTSIDE.has(signal) ? FORGIVEN_KILLS : FORGIVEN_CRASHES;
    const isForgiven = endedFor === null && (isLost || code === null) && task.kills < forgiven;
    if (task.signal?.aborted) task.reject(task.signal.reason);
    else if (this.#isClosed) task.reject(closedError());
    else if (isForgiven) {
      task.kills += 1;
      this.#waiting.add(task, true);
    } else {
      const reason = endedFor ?? (signal ? `signal ${signal}` : `exit ${code}`);
      task.reject(new ProcessKilledError(`the process that worked on it ended (${reason})`));
    }
  }

  #cancel(task: Task<Work, Result, Part>): void {
    if (this.#waiting.remove(task)) {
      task.reject(task.signal?.reason);
      return;
    }
    const helper = [...this.#helpers].find((one) => one.task === task);
    if (helper) this.#send(helper, { kind: 'cancel', id: helper.taskId });
  }

  /**
   * Ends a process without a sign of life, including one that was stopped from outside. A task's time begins when its
   * process is ready.
   */
  #watchTime(helper: Helper<Work, Result, Part>): void {
    if (helper.timer) clearTimeout(helper.timer);
    const { taskId, isReady } = helper;
    const { timeoutMs } = this.#options;
    helper.timer = setTimeout(
      () => {
        if (helper.task === null || helper.taskId !== taskId) return;
        if (!isReady || isStopped(helper.child)) this.#giveUp(helper);
        else void this.#end(helper, `it took longer than ${Math.round(timeoutMs / 1000)} s`);
      },
      isReady ? timeoutMs : START_MS,
    ).unref();
  }

  #watchIdleness(helper: Helper<Work, Result, Part>): void {
    if (helper.timer) clearTimeout(helper.timer);
    helper.timer = setTimeout(() => {
      if (helper.task === null) void this.#end(helper, 'it had nothing to do');
    }, this.#options.idleMs).unref();
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

  #end(helper: Helper<Work, Result, Part>, reason: string): Promise<void> {
    helper.endedFor ??= reason;
    return this.#kill(helper);
  }

  #kill(helper: Helper<Work, Result, Part>): Promise<void> {
    return new Promise((resolve) => {
      if (!this.#helpers.has(helper) || helper.child.exitCode !== null || helper.child.signalCode !== null)
        resolve();
      else {
        helper.child.once('exit', () => resolve());
        endGroup(helper.child);
        helper.child.kill('SIGKILL');
      }
    });
  }

  #send(helper: Helper<Work, Result, Part>, message: ToProcess<Work>): void {
    helper.child.send(message, (error) => {
      // A process that is dying reports it by exiting; one that is alive but unreachable is useless.
      if (error) this.#giveUp(helper);
    });
  }
}
