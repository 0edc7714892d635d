import type { House } from './house/compose-rooms.js';
import { RunEngine } from './runs/engine.js';
import { openDatabase } from './shared/pooled-database.js';
import type { Services } from './shared/services.js';

/** Creates the engine of a worker with the handlers of all rooms. */
export function createEngine({ config, db, log }: Services, house: Pick<House, 'handlers'>): RunEngine {
  const leases = openDatabase(config.database, { connections: 1 });
  return new RunEngine(db, leases, house.handlers(), log, {
    slots: config.worker.slots,
    ahead: 1,
    leaseMs: config.worker.leaseMs,
  });
}
