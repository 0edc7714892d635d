import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { createApp } from './app.js';
import { recountFacets } from './library/facet-queries.js';
import { adoptEarlierRenditions, applyToMoreTypes, outdateEmbeddedMetadata } from './recipes/upgrade.js';
import { closeProcesses, createHouse, prepareProcesses } from './rooms.js';
import { documentOf } from './shared/health-routes.js';
import { launch, withDatabase } from './shared/launch.js';
import { migrate } from './shared/migrate.js';
import { openDatabase } from './shared/pooled-database.js';
import type { Services } from './shared/services.js';
import { onShutdown } from './shared/shutdown.js';
import { asksForHealth, inTurn } from './shared/turnstile.js';
import { carryOutUpgrades } from './shared/upgrades.js';
import { openHomeStore } from './stores/home-store.js';

const { config, log } = launch('server');
const applied = await withDatabase(log, () => migrate(config.database));
if (applied.length > 0) log.info({ applied }, 'the database was migrated');

const { connections, waitMs } = config.database;
const db = openDatabase(config.database, { connections, acquireTimeoutMs: waitMs });
const store = await openHomeStore(config);

if (applied.includes('0008_finding.sql')) await recountFacets(db);
if (applied.includes('0010_derived_files.sql')) await adoptEarlierRenditions(db);
await carryOutUpgrades(db, {
  'embedded-metadata': outdateEmbeddedMetadata,
  'more-types': applyToMoreTypes,
});

const leases = openDatabase(config.database, { connections: 1 });
const services: Services = { config, db, leases, store, log };
const processes = prepareProcesses(services, 'server');
const house = createHouse(services, processes);
const app = createApp({ services, db, house });
// Built before the first request, because it takes a while.
documentOf(app.routes);
const server = createServer(
  {
    keepAliveTimeout: 65_000,
    headersTimeout: 60_000,
    requestTimeout: 0,
    connectionsCheckingInterval: 10_000,
  },
  inTurn(app.express, asksForHealth),
);
server.listen(config.port, config.host, () => {
  const { port } = server.address() as AddressInfo;
  log.info({ port, url: config.publicUrl }, 'the server listens');
  process.send?.({ ready: true, port });
});
server.on('error', (error) => {
  log.fatal({ err: error }, `can't listen on ${config.host}:${config.port}`);
  process.exit(1);
});

const closeBackground = await house.open();

onShutdown(log, async () => {
  await closeBackground();
  server.closeIdleConnections();
  await new Promise((resolve) => server.close(resolve));
  await app.close();
  await house.close();
  await closeProcesses(processes);
  await leases.end();
  await db.end();
});
