import { pino } from 'pino';
import { createApp } from './app.js';
import { closeProcesses, createHouse, prepareProcesses } from './rooms.js';
import { readConfig } from './shared/config.js';
import { openDatabase } from './shared/pooled-database.js';
import type { Route } from './shared/route.js';
import type { Services } from './shared/services.js';
import { DiskStore } from './stores/disk-store.js';

/** Lists every route of a server without opening a connection, for tools. */
export async function describeRoutes(): Promise<readonly Route[]> {
  const config = readConfig({});
  const db = openDatabase(config.database, { connections: 1 });
  const log = pino({ level: 'silent' });
  const services: Services = { config, db, leases: db, store: new DiskStore(config.dataDir), log };
  const processes = prepareProcesses(services, 'server');
  const house = createHouse(services, processes);
  const app = createApp({ services, db, house });
  await app.close();
  await house.close();
  await closeProcesses(processes);
  await db.end();
  return app.routes;
}
