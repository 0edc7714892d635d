import './shared/thread-pool.js';
import { sweepAll } from './house/sweep-all.js';
import { closeProcesses, createHouse, prepareProcesses } from './rooms.js';
import { launch, withDatabase } from './shared/launch.js';
import { waitUntilMigrated } from './shared/migrate.js';
import { openDatabase } from './shared/pooled-database.js';
import { repeatedly } from './shared/repeatedly.js';
import type { Services } from './shared/services.js';
import { onShutdown } from './shared/shutdown.js';
import { openHomeStore } from './stores/home-store.js';
import { createEngine } from './worker.js';

const { config, log } = launch('worker');
await withDatabase(log, () =>
  waitUntilMigrated(config.database, {
    onWait: (missing) => log.info({ missing }, 'waiting for a server to migrate the database'),
  }),
);
const { slots } = config.worker;
const db = openDatabase(config.database, { connections: slots + 4 });
const store = await openHomeStore(config);

// The engine renews its items on its own connection; a worker has nothing else to renew.
const services: Services = { config, db, leases: db, store, log };
const processes = prepareProcesses(services, 'worker');
const house = createHouse(services, processes);
const engine = createEngine(services, house);
await engine.start();
log.info({ slots }, 'the worker is at work');
process.send?.({ ready: true });

// Soon after the start: whatever ended the last worker may have left work behind, and a migration changes what is
// counted.
const FIRST_SWEEP_MS = 20_000;
const stopSweeping = repeatedly(config.sweepMs, log, 'sweeping failed', () => sweepAll(services, db, house), {
  firstMs: Math.min(FIRST_SWEEP_MS, config.sweepMs),
});

onShutdown(log, async () => {
  stopSweeping();
  await engine.close();
  await closeProcesses(processes);
  await db.end();
});
