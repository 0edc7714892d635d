import type { Logger } from 'pino';
import type { Config } from './config.js';
import { intakeHandler } from './intake/handler.js';
import {
  bulkBinHandler,
  bulkEditHandler,
  bulkPurgeHandler,
  bulkRestoreHandler,
  bulkUndoHandler,
} from './library/bulk-handlers.js';
import type { RenderPool } from './recipes/engine/pool.js';
import { renditionsHandler } from './recipes/handler.js';
import type { Workbench } from './recipes/make.js';
import { optimiseHandler } from './recipes/optimise-handler.js';
import { surplusRemoveHandler, surplusRestoreHandler } from './recipes/surplus.js';
import { RunEngine } from './runs/engine.js';
import type { RunHandlers } from './runs/handler.js';
import type { Database } from './shared/database.js';
import type { ByteStore } from './stores/byte-store.js';

/** Makes the engine of a worker with everything that it can do. */
export function createEngine({
  config,
  db,
  store,
  log,
  pool,
}: {
  config: Config;
  db: Database;
  store: ByteStore;
  log: Logger;
  /** Where pictures are made; the caller closes it. */
  pool: RenderPool;
}): RunEngine {
  const bench: Workbench = { db, store, pool, maxPixels: config.maxPixels };
  const handlers: RunHandlers = {
    renditions: renditionsHandler(bench),
    'renditions-soon': renditionsHandler(bench),
    optimise: optimiseHandler(bench),
    'surplus-remove': surplusRemoveHandler,
    'surplus-restore': surplusRestoreHandler,
    intake: intakeHandler({ db, store, config }),
    'bulk-edit': bulkEditHandler,
    'bulk-undo': bulkUndoHandler,
    'bulk-bin': bulkBinHandler,
    'bulk-restore': bulkRestoreHandler,
    'bulk-purge': bulkPurgeHandler,
  };
  return new RunEngine(db, handlers, log, {
    slots: config.worker.slots,
    ahead: 1,
    leaseMs: config.worker.leaseMs,
  });
}
