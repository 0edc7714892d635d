import { gzipSync } from 'node:zlib';
import Joi from 'joi';
import type { Answer } from './answer.js';
import { STORE_STATES } from './byte-store.js';
import type { Health } from './health.js';
import type { Metrics } from './metrics.js';
import { buildOpenApi } from './openapi.js';
import { API_BASE, type Route, route } from './route.js';
import { answer, component } from './schemas.js';
import { sha256Of } from './sha256.js';
import { VERSION } from './version.js';

const part = Joi.string().valid('ok', 'failing');
const healthSchema = component(
  'Health',
  answer({
    status: part,
    version: Joi.string(),
    database: part,
    worker: part,
    store: Joi.string()
      .valid(...STORE_STATES)
      .description('full: nothing can be written any more, everything can still be read'),
  }),
);

function healthRoute(path: string, health: Health): Route {
  return route({
    method: 'get',
    path,
    access: 'public',
    atOnce: 1000,
    summary: 'Check the database, workers and the store',
    answers: {
      200: { description: 'All is well', schema: healthSchema },
      503: { description: 'Something is missing', schema: healthSchema },
    },
    handle: () => readHealth(health),
  });
}

/** @param listRoutes all routes of the server, including these */
export function systemRoutes({
  health,
  metrics,
  listRoutes,
}: {
  health: Health;
  metrics: Metrics;
  listRoutes: () => readonly Route[];
}): Route[] {
  return [
    healthRoute('/health', health),
    healthRoute(`${API_BASE}/health`, health),
    route({
      method: 'get',
      path: '/health/live',
      access: 'public',
      atOnce: 1000,
      summary: 'Check that this server process responds',
      answers: { 204: { description: 'It answers' } },
      handle: async () => ({ status: 204, headers: { 'Cache-Control': 'no-store' } }),
    }),
    route({
      method: 'get',
      path: '/metrics',
      access: 'system:read',
      summary: 'Metrics of this server process in the Prometheus text format',
      answers: { 200: { description: 'The figures', contentType: 'text/plain' } },
      async handle() {
        return {
          status: 200,
          body: await metrics.registry.metrics(),
          headers: { 'Content-Type': metrics.registry.contentType },
        };
      },
    }),
    route({
      method: 'get',
      path: `${API_BASE}/openapi.json`,
      access: 'public',
      summary: 'Get this API as an OpenAPI 3.1 document',
      answers: {
        200: { description: 'The document', schema: Joi.object().unknown() },
        304: { description: 'Unchanged' },
      },
      async handle({ req }) {
        const { body, packed, etag } = documentOf(listRoutes());
        if (req.get('if-none-match') === etag) return { status: 304, headers: { ETag: etag } };
        const isPacked = req.acceptsEncodings('gzip') === 'gzip';
        return {
          status: 200,
          body: isPacked ? packed : body,
          headers: {
            ETag: etag,
            Vary: 'Accept-Encoding',
            ...(isPacked && { 'Content-Encoding': 'gzip' }),
            'Content-Type': 'application/json; charset=utf-8',
            'Cache-Control': 'no-cache',
          },
        };
      },
    }),
  ];
}

interface ApiDocument {
  body: Buffer;
  /** The same, compressed with gzip. */
  packed: Buffer;
  etag: string;
}

const documents = new WeakMap<readonly Route[], ApiDocument>();

/** The serialised OpenAPI document of the routes, built once. */
export function documentOf(routes: readonly Route[]): ApiDocument {
  const known = documents.get(routes);
  if (known) return known;
  const body = Buffer.from(JSON.stringify(buildOpenApi(routes)));
  const etag = `"${sha256Of(body).slice(0, 32)}"`;
  const document = { body, packed: gzipSync(body), etag };
  documents.set(routes, document);
  return document;
}

async function readHealth(health: Health): Promise<Answer> {
  const report = await health.read();
  const isWell = Object.values(report).every((state) => state === 'ok');
  return {
    status: isWell ? 200 : 503,
    body: { status: isWell ? 'ok' : 'failing', version: VERSION, ...report },
    headers: { 'Cache-Control': 'no-store' },
  };
}
