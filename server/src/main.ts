import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { pino } from 'pino';
import { closeApp, createApp } from './app.js';
import { readConfig } from './config.js';
import { dropAbandonedUploads } from './intake/resumable.js';
import { watchInbox } from './intake/watch-inbox.js';
import { recountFacets } from './library/facet-queries.js';
import { adoptEarlierRenditions } from './recipes/upgrade.js';
import { openDatabase } from './shared/database.js';
import { migrate } from './shared/migrate.js';
import { onShutdown } from './shared/shutdown.js';
import { DiskStore } from './stores/disk-store.js';

const config = readConfig(process.env);
const log = pino({ level: config.logLevel, base: { part: 'server' } });
const applied = await migrate(config.database);
if (applied.length > 0) log.info({ applied }, 'the database was migrated');

const db = openDatabase(config.database);
const store = new DiskStore(config.dataDir);
await store.prepare();

if (applied.includes('0008_finding.sql')) await recountFacets(db);
if (applied.includes('0010_derived_files.sql')) await adoptEarlierRenditions(db);

const { app, express } = createApp({ config, db, store, log });
const server = createServer({ keepAliveTimeout: 65_000, requestTimeout: 0 }, express);
server.listen(config.port, config.host, () => {
  const { port } = server.address() as AddressInfo;
  log.info({ port, url: config.publicUrl }, 'the server listens');
  process.send?.({ ready: true, port });
});
server.on('error', (error) => {
  log.fatal({ err: error }, `can't listen on ${config.host}:${config.port}`);
  process.exit(1);
});

const stopWatching = watchInbox(app);
const HOUR_MS = 3_600_000;
const dropping = setInterval(() => {
  dropAbandonedUploads(app).catch((error) =>
    log.error({ err: error }, 'abandoned uploads could not be dropped'),
  );
}, HOUR_MS);

onShutdown(log, async () => {
  clearInterval(dropping);
  await stopWatching();
  app.events.close();
  server.closeIdleConnections();
  await new Promise((resolve) => server.close(resolve));
  await closeApp(app);
  await db.end();
});
