import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import express, { type ErrorRequestHandler, type Express } from 'express';
import helmet from 'helmet';
import type { Logger } from 'pino';
import { pinoHttp } from 'pino-http';
import { accessRoutes } from './access/routes.js';
import type { Config } from './config.js';
import { flowRoutes } from './flow/routes.js';
import { hookRoutes } from './hooks/routes.js';
import { EventStream } from './hooks/stream.js';
import { intakeRoutes } from './intake/routes.js';
import { mediaRoutes } from './library/media-routes.js';
import { libraryRoutes } from './library/routes.js';
import { RenderPool } from './recipes/engine/pool.js';
import { iiifRoutes } from './recipes/iiif-routes.js';
import { onRequestRoutes } from './recipes/on-request-routes.js';
import { rebuildRoutes } from './recipes/rebuild-routes.js';
import { RequestCounter } from './recipes/request-counter.js';
import { recipeRoutes } from './recipes/routes.js';
import { stateRoutes } from './recipes/state-routes.js';
import { surplusRoutes } from './recipes/surplus-routes.js';
import { rulesRoutes } from './rules/routes.js';
import { runRoutes } from './runs/routes.js';
import { workerRoutes } from './runs/worker-routes.js';
import type { Database } from './shared/database.js';
import { toProblem, UniferumError } from './shared/errors.js';
import { systemRoutes } from './shared/health-routes.js';
import { type Metrics, startMetrics } from './shared/metrics.js';
import { registerRoutes } from './shared/register-routes.js';
import { API_BASE, type Route } from './shared/route.js';
import type { ByteStore } from './stores/byte-store.js';

/** What every handler works with. */
export interface App {
  config: Config;
  db: Database;
  store: ByteStore;
  log: Logger;
  events: EventStream;
  metrics: Metrics;
  /** Renders what somebody waits for; what can wait is made by workers. */
  pool: RenderPool;
  requests: RequestCounter;
}

/** Every route of the server. */
export const ALL_ROUTES: readonly Route[] = [
  ...systemRoutes(() => ALL_ROUTES),
  ...accessRoutes,
  // Before the routes in which an id or a name stands in the same place.
  ...rebuildRoutes,
  ...stateRoutes,
  ...surplusRoutes,
  ...onRequestRoutes,
  ...libraryRoutes,
  ...rulesRoutes,
  ...intakeRoutes,
  ...recipeRoutes,
  ...iiifRoutes,
  ...workerRoutes,
  ...runRoutes,
  ...flowRoutes,
  ...hookRoutes,
  ...mediaRoutes,
];

const MAX_JSON = '4mb';
/** Large enough for a manifest of many thousand rows. */
const MAX_MANIFEST = '32mb';

/** Puts a server together; the caller opens and closes what it is given. */
export function createApp(parts: Pick<App, 'config' | 'db' | 'store' | 'log'>): {
  app: App;
  express: Express;
} {
  const { serverProcesses: processes, ...limits } = parts.config.render;
  const app: App = {
    ...parts,
    events: new EventStream(parts.db, parts.log),
    metrics: startMetrics(),
    pool: new RenderPool({ processes, ...limits, isBackground: false }),
    requests: new RequestCounter(parts.db, parts.log),
  };
  const server = express();
  server.disable('x-powered-by');
  server.set('etag', false);
  server.set('trust proxy', 'loopback');
  server.set('query parser', 'simple');
  server.use(
    pinoHttp({
      logger: app.log,
      genReqId: () => randomUUID(),
      customLogLevel: (_req, res, error) => (error || res.statusCode >= 500 ? 'error' : 'debug'),
      redact: ['req.headers.authorization', 'req.headers.cookie', 'res.headers["set-cookie"]'],
    }),
  );
  server.use(app.metrics.timeRequests);
  server.use(securityHeaders(app.config));
  server.use(`${API_BASE}/intake/manifest`, express.json({ limit: MAX_MANIFEST }));
  server.use(express.json({ limit: MAX_JSON }));
  registerRoutes(server, app, ALL_ROUTES);
  if (app.config.webDir !== null) serveConsole(server, app.config.webDir);
  server.use((req) => {
    throw new UniferumError(
      'not-found',
      `There is no ${req.method} ${req.path}. The API is described at /api/v1/openapi.json.`,
    );
  });
  server.use(answerProblem(app.log));
  return { app, express: server };
}

/** Ends what an app holds beside what it was given. */
export async function closeApp(app: App): Promise<void> {
  app.events.close();
  await app.pool.close();
  await app.requests.flush();
}

function securityHeaders(config: Config) {
  return helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        'default-src': ["'self'"],
        'script-src': ["'self'"],
        // Positions of rows and bars are set on elements.
        'style-src': ["'self'", "'unsafe-inline'"],
        'img-src': ["'self'", 'data:', 'blob:', new URL(config.publicUrl).origin],
        'font-src': ["'self'"],
        'connect-src': ["'self'"],
        'object-src': ["'none'"],
        'base-uri': ["'none'"],
        'form-action': ["'self'"],
        'frame-ancestors': ["'none'"],
      },
    },
    strictTransportSecurity: config.publicUrl.startsWith('https:'),
  });
}

/** The console is one page: any path that is no file and no part of the API is its own. */
function serveConsole(server: Express, webDir: string): void {
  server.use(
    '/assets',
    express.static(join(webDir, 'assets'), { immutable: true, maxAge: '1y', index: false }),
  );
  server.use(express.static(webDir, { index: false }));
  server.get(/^\/(?!api\/|media\/|made\/|iiif\/|assets\/)/, (req, res, next) => {
    if (!req.accepts('html')) next();
    else res.sendFile('index.html', { root: webDir, headers: { 'Cache-Control': 'no-cache' } });
  });
}

function answerProblem(log: Logger): ErrorRequestHandler {
  return (thrown, req, res, _next) => {
    const error = toUniferumError(thrown);
    if (error.status >= 500) log.error({ err: thrown, requestId: req.id }, 'a request failed');
    if (res.headersSent) {
      res.destroy();
      return;
    }
    const { retryAfterSeconds } = error.options;
    if (retryAfterSeconds !== undefined) res.setHeader('Retry-After', retryAfterSeconds);
    if (error.status === 401) res.setHeader('WWW-Authenticate', 'Bearer realm="Uniferum"');
    res
      .status(error.status)
      .type('application/problem+json')
      .send(JSON.stringify(toProblem(error, req.originalUrl, String(req.id))));
  };
}

function toUniferumError(thrown: unknown): UniferumError {
  if (thrown instanceof UniferumError) return thrown;
  // Express and its body parser give their errors a status.
  const status = thrown instanceof Error && 'status' in thrown ? thrown.status : null;
  if (status === 413)
    return new UniferumError('too-large', `The body has more than ${MAX_JSON}.`, { cause: thrown });
  if (status === 415)
    return new UniferumError('unsupported-media-type', 'Send the body as JSON in UTF-8.', { cause: thrown });
  if (typeof status === 'number' && status >= 400 && status < 500)
    return new UniferumError(
      'malformed-request',
      `The request can't be read: ${(thrown as Error).message}.`,
      { cause: thrown },
    );
  return new UniferumError(
    'unexpected',
    'The server met an error that it did not expect, and changed nothing. Try again; if it stays so, report it with this requestId.',
    { cause: thrown },
  );
}
