import Joi from 'joi';
import type { App } from '../app.js';
import { hasLivingWorker } from '../runs/worker-queries.js';
import { select } from './database.js';
import { buildOpenApi } from './openapi.js';
import { type Answer, API_BASE, type Route, route } from './route.js';
import { answer, component } from './schemas.js';
import { VERSION } from './version.js';

/** Workers say that they are alive every third of a lease; three missed ones are a death. */
const HEARTBEATS = 1.5;

const part = Joi.string().valid('ok', 'failing');
const healthSchema = component(
  'Health',
  answer({ status: part, version: Joi.string(), database: part, worker: part }),
);

function healthRoute(path: string): Route {
  return route({
    method: 'get',
    path,
    access: 'public',
    summary: 'Whether database and workers are there',
    answers: {
      200: { description: 'All is well', schema: healthSchema },
      503: { description: 'Something is missing', schema: healthSchema },
    },
    handle: ({ app }) => readHealth(app),
  });
}

/** @param listRoutes all routes of the server, these ones among them */
export function systemRoutes(listRoutes: () => readonly Route[]): Route[] {
  return [
    healthRoute('/health'),
    healthRoute(`${API_BASE}/health`),
    route({
      method: 'get',
      path: '/metrics',
      access: 'system:read',
      summary: 'Figures of this server process in the Prometheus text format',
      answers: { 200: { description: 'The figures', contentType: 'text/plain' } },
      async handle({ app }) {
        return {
          status: 200,
          body: await app.metrics.registry.metrics(),
          headers: { 'Content-Type': app.metrics.registry.contentType },
        };
      },
    }),
    route({
      method: 'get',
      path: `${API_BASE}/openapi.json`,
      access: 'public',
      summary: 'This API as an OpenAPI 3.1 document',
      answers: { 200: { description: 'The document', schema: Joi.object().unknown() } },
      handle: async () => ({ status: 200, body: buildOpenApi(listRoutes()) }),
    }),
  ];
}

async function readHealth(app: App): Promise<Answer> {
  const database = await select(app.db, 'SELECT 1').then(
    () => 'ok' as const,
    () => 'failing' as const,
  );
  const hasWorker =
    database === 'ok' &&
    (await hasLivingWorker(app.db, Math.ceil((app.config.worker.leaseMs * HEARTBEATS) / 1000)).catch(
      () => false,
    ));
  const isWell = database === 'ok' && hasWorker;
  return {
    status: isWell ? 200 : 503,
    body: {
      status: isWell ? 'ok' : 'failing',
      version: VERSION,
      database,
      worker: hasWorker ? 'ok' : 'failing',
    },
    headers: { 'Cache-Control': 'no-store' },
  };
}
