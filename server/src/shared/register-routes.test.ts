import { once } from 'node:events';
import { createServer, request, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import express from 'express';
import { afterEach, expect, test } from 'vitest';
import { Admission } from './admission.js';
import type { Principal } from './principal.js';
import { registerRoutes } from './register-routes.js';
import { API_BASE, route } from './route.js';

let server: Server | null = null;
afterEach(() => {
  server?.closeAllConnections();
  server?.close();
});

test('a client that disconnects while it is being identified takes up no place', async () => {
  const who = { kind: 'key', ref: 'key 1', name: 'Script', rights: ['library:read'] } as unknown as Principal;
  const identified: ((who: Principal) => void)[] = [];
  const app = express();
  const closed: Promise<unknown>[] = [];
  app.use((_req, res, next) => {
    closed.push(once(res, 'close'));
    next();
  });
  const gate = {
    admission: new Admission(),
    idempotency: {} as never,
    authenticate: () => new Promise<Principal>((resolve) => identified.push(resolve)),
    requireOwnOrigin: () => {},
  };
  const services = { config: { masterKey: 'the key of a test' } } as never;
  registerRoutes(app, services, gate, [
    route({
      method: 'get',
      path: `${API_BASE}/once`,
      access: 'library:read',
      summary: 'Answers one request at a time',
      atOnce: 1,
      answers: { 200: { description: 'Done' } },
      handle: async () => ({ status: 200, body: {} }),
    }),
  ]);
  server = createServer(app).listen(0, '127.0.0.1');
  await once(server, 'listening');
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}${API_BASE}/once`;

  const leaving = request(url).end();
  leaving.on('error', () => {});
  await expect.poll(() => identified.length).toBe(1);
  leaving.destroy();
  await closed[0];
  identified[0]?.(who);

  const staying = fetch(url);
  await expect.poll(() => identified.length).toBe(2);
  identified[1]?.(who);
  expect((await staying).status).toBe(200);
});
