import type { Logger } from 'pino';
import sharp from 'sharp';
import type { Config } from './config.js';
import { intakeHandler } from './intake/handler.js';
import {
  bulkBinHandler,
  bulkEditHandler,
  bulkPurgeHandler,
  bulkRestoreHandler,
  bulkUndoHandler,
} from './library/bulk-handlers.js';
import { renditionsHandler } from './recipes/handler.js';
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
}: {
  config: Config;
  db: Database;
  store: ByteStore;
  log: Logger;
}): RunEngine {
  // Pictures are worked on side by side, one thread each: together that is faster than one after the other with several.
  sharp.concurrency(1);
  sharp.cache(false);
  const handlers: RunHandlers = {
    renditions: renditionsHandler({ db, store, maxPixels: config.maxPixels }),
    intake: intakeHandler({ db, store, config }),
    'bulk-edit': bulkEditHandler,
    'bulk-undo': bulkUndoHandler,
    'bulk-bin': bulkBinHandler,
    'bulk-restore': bulkRestoreHandler,
    'bulk-purge': bulkPurgeHandler,
  };
  return new RunEngine(db, handlers, log, { slots: config.worker.slots, leaseMs: config.worker.leaseMs });
}
