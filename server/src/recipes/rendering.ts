import type { Services } from '../shared/services.js';
import { RenderPool } from './engine/pool.js';
import { RequestCounter } from './request-counter.js';

/** A picture that a stranger asks for and that takes longer is given up. */
const STRANGER_TIMEOUT_MS = 60_000;
/** So many pictures of all strangers together wait. */
const STRANGERS_WAITING = 200;

/** The rendering processes of a server or a worker, and the requests that were served of renditions. */
export class Rendering {
  /** Renders what workers make, or what somebody with a key or a session waits for. */
  readonly pool: RenderPool;
  /** Renders what anybody else waits for: strangers don't take the place of those who are known. */
  readonly strangersPool: RenderPool;
  readonly requests: RequestCounter;

  private constructor(pool: RenderPool, strangersPool: RenderPool, requests: RequestCounter) {
    this.pool = pool;
    this.strangersPool = strangersPool;
    this.requests = requests;
  }

  /** For a server, on which people wait. */
  static ofServer({ config, db, store, log }: Services): Rendering {
    const { serverProcesses: processes, strangerAtOnce, ...limits } = config.render;
    const scratchDir = store.scratch();
    return new Rendering(
      new RenderPool({ processes, ...limits, isBackground: false, scratchDir }),
      new RenderPool({
        ...limits,
        processes: Math.max(1, processes - 1),
        timeoutMs: Math.min(limits.timeoutMs, STRANGER_TIMEOUT_MS),
        maxPerSource: strangerAtOnce,
        maxQueued: STRANGERS_WAITING,
        isBackground: true,
        scratchDir,
      }),
      new RequestCounter(db, log),
    );
  }

  /** For a worker, which serves nobody. */
  static ofWorker({ config, db, store, log }: Services): Rendering {
    const { maxMemoryBytes, timeoutMs } = config.render;
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
