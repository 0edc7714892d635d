import { randomUUID } from 'node:crypto';
import { constants } from 'node:zlib';
import compression from 'compression';
import express, { type Express, type RequestHandler } from 'express';
import helmet from 'helmet';
import { pinoHttp } from 'pino-http';
import { AllowedOrigins } from './access/origins.js';
import { authenticate, requireOwnOrigin } from './access/principal.js';
import type { House } from './house/compose-rooms.js';
import { hasLivingWorker } from './runs/worker-queries.js';
import { Admission } from './shared/admission.js';
import { answerProblem } from './shared/answer-problem.js';
import type { Config } from './shared/config.js';
import { shareAcrossOrigins } from './shared/cross-origin.js';
import { UniferumError } from './shared/errors.js';
import { Health } from './shared/health.js';
import { systemRoutes } from './shared/health-routes.js';
import { Idempotency } from './shared/idempotency.js';
import { keepApart } from './shared/media-origin.js';
import { startMetrics } from './shared/metrics.js';
import type { PooledDatabase } from './shared/pooled-database.js';
import { registerRoutes } from './shared/register-routes.js';
import type { Route } from './shared/route.js';
import { serveConsole } from './shared/serve-console.js';
import type { Services } from './shared/services.js';

/** A server that answers requests. */
export interface ServerApp {
  express: Express;
  /** Every route, in matching order. */
  routes: readonly Route[];
  /** Releases what the server holds in addition to what it was given. */
  close(): Promise<void>;
}

/** Assembles a server; the caller opens and closes the services it passes. */
export function createApp({
  services,
  db,
  house,
}: {
  services: Services;
  /** The pool behind the services' database. */
  db: PooledDatabase;
  house: House;
}): ServerApp {
  const { config, store, log, leases } = services;
  const metrics = startMetrics(db, house.gauges);
  const health = new Health(config, store, hasLivingWorker);
  const idempotency = new Idempotency(db, leases, log, { leaseMs: config.requestLeaseMs });
  const routes: Route[] = [...systemRoutes({ health, metrics, listRoutes: () => routes }), ...house.routes()];
  const server = express();
  server.disable('x-powered-by');
  server.set('etag', false);
  server.set('trust proxy', config.trustedProxies);
  server.set('query parser', 'simple');
  server.use(
    pinoHttp({
      logger: log,
      genReqId: () => randomUUID(),
      customLogLevel: (_req, res, error) => (error || res.statusCode >= 500 ? 'error' : 'debug'),
      redact: ['req.headers.authorization', 'req.headers.cookie', 'res.headers["set-cookie"]'],
    }),
  );
  server.use(metrics.timeRequests);
  server.use(securityHeaders(config));
  server.use(keepApart(config));
  const origins = new AllowedOrigins(services.db);
  server.use(shareAcrossOrigins((origin) => origins.has(origin)));
  server.use(compressAnswers());
  const gate = { admission: new Admission(), idempotency, authenticate, requireOwnOrigin };
  registerRoutes(server, services, gate, routes);
  if (config.webDir !== null) serveConsole(server, config.webDir);
  server.use((req) => {
    throw new UniferumError(
      'not-found',
      `${req.method} ${req.path.slice(0, 200)} does not exist. See /api/v1/openapi.json for the API.`,
    );
  });
  server.use(answerProblem(log));
  return {
    express: server,
    routes,
    close: async () => {
      idempotency.close();
      await health.close();
    },
  };
}

/** Answers from this size on are compressed. */
const COMPRESSED_BYTES = 1024;

/** Compresses JSON for clients that accept it; event streams and file contents are sent as they are. */
function compressAnswers(): RequestHandler {
  return compression({
    threshold: COMPRESSED_BYTES,
    level: constants.Z_BEST_SPEED,
    brotli: { params: { [constants.BROTLI_PARAM_QUALITY]: 3 } },
    filter: (_req, res) => /\bjson\b/.test(String(res.getHeader('content-type') ?? '')),
  });
}

function securityHeaders(config: Config) {
  const mediaOrigins = [...new Set([config.publicUrl, config.mediaUrl].map((url) => new URL(url).origin))];
  return helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        'default-src': ["'self'"],
        'script-src': ["'self'"],
        // Positions of rows and bars are set with style attributes.
        'style-src': ["'self'", "'unsafe-inline'"],
        'img-src': ["'self'", 'data:', 'blob:', ...mediaOrigins],
        'media-src': ["'self'", 'blob:', ...mediaOrigins],
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
