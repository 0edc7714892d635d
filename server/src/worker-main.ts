import './shared/thread-pool.js';
import { pino } from 'pino';
import { readConfig } from './config.js';
import { sweepBlobs } from './library/sweep.js';
import { RenderPool } from './recipes/engine/pool.js';
import { tidyDerived } from './recipes/tidy.js';
import { openDatabase } from './shared/database.js';
import { onShutdown } from './shared/shutdown.js';
import { DiskStore } from './stores/disk-store.js';
import { createEngine } from './worker.js';

const config = readConfig(process.env);
const log = pino({ level: config.logLevel, base: { part: 'worker' } });
const db = openDatabase(config.database, { connections: config.worker.slots + 3 });
const store = new DiskStore(config.dataDir);
await store.prepare();

const pool = new RenderPool({
  processes: config.worker.slots,
  maxMemoryBytes: config.render.maxMemoryBytes,
  timeoutMs: config.render.timeoutMs,
  isBackground: true,
});
const engine = createEngine({ config, db, store, log, pool });
await engine.start();
log.info({ slots: config.worker.slots }, 'the worker is at work');
process.send?.({ ready: true });

/** Bytes that nothing names any more are looked for once an hour. */
const SWEEP_MS = 3_600_000;
const sweeping = setInterval(() => {
  tidyDerived(db, config.maxOnRequestBytes)
    .then(() => sweepBlobs(db, store))
    .then((swept) => log.info({ swept }, 'the store was swept'))
    .catch((error) => log.error({ err: error }, 'sweeping failed'));
}, SWEEP_MS);

onShutdown(log, async () => {
  clearInterval(sweeping);
  await engine.close();
  await pool.close();
  await db.end();
});
