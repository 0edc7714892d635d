import type { Services } from '../shared/services.js';
import { RenderPool } from './engine/pool.js';
import { RequestCounter } from './request-counter.js';

/** The maximum number of queued pictures for all anonymous callers together. */
const STRANGERS_WAITING = 200;

/** The rendering processes of a server or a worker, and the request counter of renditions. */
export class Rendering {
  /** Renders for workers, and for callers with a key or a session. */
  readonly pool: RenderPool;
  /** Renders for anonymous callers, who do not take up the capacity of the others. */
  readonly strangersPool: RenderPool;
  readonly requests: RequestCounter;

  private constructor(pool: RenderPool, strangersPool: RenderPool, requests: RequestCounter) {
    this.pool = pool;
    this.strangersPool = strangersPool;
    this.requests = requests;
  }

  /** For a server, on which callers wait. */
  static ofServer({ config, db, store, log }: Services): Rendering {
    const { serverProcesses: processes, strangerAtOnce, timeoutMs, maxMemoryBytes } = config.render;
    const limits = { timeoutMs, maxMemoryBytes };
    const scratchDir = store.scratch();
    return new Rendering(
      new RenderPool({ processes, ...limits, isBackground: false, scratchDir }),
      new RenderPool({
        ...limits,
        processes: Math.max(1, processes - 1),
        maxPerSource: strangerAtOnce,
        maxQueued: STRANGERS_WAITING,
        isBackground: true,
        scratchDir,
      }),
      new RequestCounter(db, log),
    );
  }

  /** For a worker, which has no callers. */
  static ofWorker({ config, db, store, log }: Services): Rendering {
    const { maxMemoryBytes, backgroundTimeoutMs: timeoutMs } = config.render;
    const pool = new RenderPool({
      processes: config.worker.slots,
      maxMemoryBytes,
      timeoutMs,
      isBackground: true,
      scratchDir: store.scratch(),
    });
    return new Rendering(pool, pool, new RequestCounter(db, log));
  }

  async close(): Promise<void> {
    await Promise.all([this.pool.close(), this.strangersPool.close()]);
    await this.requests.flush();
  }
}
