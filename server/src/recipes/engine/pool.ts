import type { PoolOptions } from '../../shared/process-messages.js';
import { ProcessPool } from '../../shared/process-pool.js';
import { ProcessKilledError } from '../../shared/process-task.js';
import type { RenderJob, RenderResult, WrittenFile } from './job.js';
import type { OptimiseJob, OptimiseResult } from './optimise.js';

export type { PoolOptions };
/** A picture that crashed its process: a retry would crash, too. */
export { ProcessKilledError as PictureKilledError };

/** A request to a rendering process. */
export type RenderWork =
  | { kind: 'render'; job: RenderJob; outDir: string | null }
  | { kind: 'optimise'; job: OptimiseJob };

export type RenderOutcome = RenderResult | RenderResult<WrittenFile> | OptimiseResult;

/** For whom a picture is made. */
export interface Waiter {
  /** When it aborts, nobody waits any more. */
  signal?: AbortSignal | undefined;
  /** Callers from different sources take turns. */
  source?: string | undefined;
}

/** Rendering processes. */
export class RenderPool {
  readonly #pool: ProcessPool<RenderWork, RenderOutcome>;

  constructor(options: PoolOptions) {
    this.#pool = new ProcessPool(new URL('./process.js', import.meta.url), options);
  }

  /** Renders a file. @throws like `ProcessPool.run` */
  run(job: RenderJob, waiter: Waiter = {}): Promise<RenderResult> {
    return this.#pool.run({ kind: 'render', job, outDir: null }, waiter) as Promise<RenderResult>;
  }

  /** Renders a file, and writes the results to a folder. @throws like `ProcessPool.run` */
  runInto(outDir: string, job: RenderJob, waiter: Waiter = {}): Promise<RenderResult<WrittenFile>> {
    return this.#pool.run({ kind: 'render', job, outDir }, waiter) as Promise<RenderResult<WrittenFile>>;
  }

  /** Optimises a file. @throws like `ProcessPool.run` */
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
