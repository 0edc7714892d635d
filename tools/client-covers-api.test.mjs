// Compares the JavaScript client with the routes of the server: it must call only existing routes, and cover all of them.
import { expect, test } from 'vitest';
import { createClient } from '../client/dist/index.js';
import { describeRoutes } from '../server/dist/describe.js';
import { API_BASE } from '../server/dist/shared/route.js';

const ALL_ROUTES = await describeRoutes();

/** Routes without a client call, each with the alternative. */
const WITHOUT_CALL = new Map([
  ['get /openapi.json', 'a document for other programs'],
  ['post /assets/from-address', '`assets.fetch` sends the same body to `/assets`'],
  ['get /events', 'a browser opens it by `eventsUrl`'],
  ['get /health', 'for whoever watches the server'],
  ['get /assets/{id}/versions/{n}/content', 'the address stands in the answer'],
  ['options /uploads', 'for clients that ask what is understood'],
  ['head /uploads/{id}', 'asked when an upload goes on'],
  ['delete /uploads/{id}', 'abandoned uploads are dropped by themselves'],
]);

/** Calls whose arguments need a certain shape. */
const ARGUMENTS = new Map([
  ['assets.upload', [{ folder: '/', files: [{ name: 'a.txt', data: new Blob(['a']) }] }]],
  ['assets.uploadResumably', [{ folder: '/', name: 'a.txt', data: new Blob(['a']) }]],
  ['intakes.archive', [{ folder: '/', name: 'a.zip', data: new Blob(['a']) }]],
  ['assets.restoreVersion', ['7', 2]],
  ['assets.put', ['/a.txt', new Blob(['a'])]],
  ['recipes.export', [['wide']]],
]);

/** A URL, the generic call for any route, and an endless stream. */
const NO_CALLS = new Set(['eventsUrl', 'call', 'events']);

const shapeOf = (/** @type {string} */ path) =>
  new RegExp(`^${path.replace(/\{\w+\*\}/g, '.+').replace(/\{\w+\}/g, '[^/]+')}$`);

async function readAll(/** @type {Promise<unknown> | AsyncIterable<unknown>} */ answer) {
  if (Symbol.asyncIterator in Object(answer)) for await (const _ of answer);
  else await answer;
}

/** Every client call: its name with `method /path`. */
async function recordCalls() {
  /** @type {{ call: string, method: string, path: string }[]} */
  const recorded = [];
  let current = '';
  const client = createClient({
    baseUrl: 'http://skerry.example',
    key: 'uf_test',
    fetch: async (/** @type {string | URL} */ url, /** @type {RequestInit} */ init = {}) => {
      const { pathname } = new URL(String(url));
      const method = (init.method ?? 'GET').toLowerCase();
      recorded.push({ call: current, method, path: pathname.slice(API_BASE.length) });
      const isTus = pathname.startsWith(`${API_BASE}/uploads`);
      if (isTus && !pathname.endsWith('/result'))
        return new Response(null, {
          status: 201,
          headers: {
            location: `http://skerry.example${API_BASE}/uploads/${'a'.repeat(32)}`,
            'upload-offset': '1',
          },
        });
      return Response.json({
        items: [],
        results: [],
        next: null,
        total: 0,
        state: 'done',
        verdict: { name: 'a.txt' },
      });
    },
  });
  const walk = async (/** @type {object} */ node, /** @type {string} */ name) => {
    for (const [key, value] of Object.entries(node)) {
      current = name ? `${name}.${key}` : key;
      if (typeof value !== 'function') await walk(value, current);
      else if (!NO_CALLS.has(current)) await readAll(value(...(ARGUMENTS.get(current) ?? ['7', {}])));
    }
  };
  await walk(client, '');
  return recorded;
}

const routes = ALL_ROUTES.filter(({ path }) => path.startsWith(`${API_BASE}/`)).map(({ method, path }) => ({
  name: `${method} ${path.slice(API_BASE.length)}`,
  method,
  shape: shapeOf(path.slice(API_BASE.length)),
}));

test('the client calls only routes that are there', async () => {
  const calls = await recordCalls();
  const strays = calls.filter(
    ({ method, path }) => !routes.some((route) => route.method === method && route.shape.test(path)),
  );
  expect(strays).toEqual([]);
  expect(calls.length).toBeGreaterThan(60);
});

test('every route is reached by a call of the client, or it is said what is used in its place', async () => {
  const calls = await recordCalls();
  const unreached = routes
    .filter((route) => !calls.some(({ method, path }) => route.method === method && route.shape.test(path)))
    .map(({ name }) => name);
  expect(unreached.sort()).toEqual([...WITHOUT_CALL.keys()].sort());
});
