import type { PoolOptions } from '../../shared/process-messages.js';
import { ProcessPool } from '../../shared/process-pool.js';
import { ProcessKilledError } from '../../shared/process-task.js';
import type { RenderJob, RenderResult, WrittenFile } from './job.js';
import type { OptimiseJob, OptimiseResult } from './optimise.js';

export type { PoolOptions };
/** A picture that cost a process its life: trying it again would come to the same. */
export { ProcessKilledError as PictureKilledError };

/** What a rendering process is asked to do. */
export type RenderWork =
  | { kind: 'render'; job: RenderJob; outDir: string | null }
  | { kind: 'optimise'; job: OptimiseJob };

export type RenderOutcome = RenderResult | RenderResult<WrittenFile> | OptimiseResult;

/** For whom a picture is made. */
export interface Waiter {
  /** When it aborts, nobody waits any more. */
  signal?: AbortSignal | undefined;
  /** Waiters of different sources take turns. */
  source?: string | undefined;
}

/** Rendering processes. */
export class RenderPool {
  readonly #pool: ProcessPool<RenderWork, RenderOutcome>;

  constructor(options: PoolOptions) {
    this.#pool = new ProcessPool(new URL('./process.js', import.meta.url), options);
  }

  /** Renders a file. @throws as `ProcessPool.run` does */
  run(job: RenderJob, waiter: Waiter = {}): Promise<RenderResult> {
    return this.#pool.run({ kind: 'render', job, outDir: null }, waiter) as Promise<RenderResult>;
  }

  /** Renders a file, and writes what is made into a folder. @throws as `ProcessPool.run` does */
  runInto(outDir: string, job: RenderJob, waiter: Waiter = {}): Promise<RenderResult<WrittenFile>> {
    return this.#pool.run({ kind: 'render', job, outDir }, waiter) as Promise<RenderResult<WrittenFile>>;
  }

  /** Makes a file smaller. @throws as `ProcessPool.run` does */
  optimise(job: OptimiseJob, waiter: Waiter = {}): Promise<OptimiseResult> {
    return this.#pool.run({ kind: 'optimise', job }, waiter) as Promise<OptimiseResult>;
  }

  get queued(): number {
    return this.#pool.queued;
  }

  get pids(): number[] {
    return this.#pool.pids;
  }

  close(): Promise<void> {
    return this.#pool.close();
  }
}
