// @ts-check
// `npm run fuzz [-- --seed 1 --requests 10000]`: sends every route valid and invalid requests generated from its own schemas.
// No response may be a server error or take longer than a second, and nothing may be broken afterwards.
import { readFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { prepare } from './prepare.mjs';
import { randomFrom } from './random.mjs';

const { values } = parseArgs({
  options: {
    seed: { type: 'string', default: String(Math.floor(Date.now() / 1000) % 1_000_000) },
    requests: { type: 'string', default: '10000' },
  },
});
const seed = Number(values.seed);
const requests = Number(values.requests);
prepare({ forTests: false });
const { default: sharp } = await import('sharp');
const { createPool } = await import('mysql2/promise');
const { describeRoutes } = await import('../server/dist/describe.js');
const ALL_ROUTES = await describeRoutes();
const { findBroken } = await import('../server/dist/house/invariants.js');
const { DiskStore } = await import('../server/dist/stores/disk-store.js');
const { EMAIL, PASSWORD, startStack } = await import('./stack.mjs');
const { Generator, Known } = await import('./fuzz/generate.mjs');
const { RequestMaker } = await import('./fuzz/requests.mjs');

/** The maximum response time, except for signing in, which is slowed down on purpose after wrong passwords. */
const SLOW_MS = 1000;
const SLOWED_DOWN = 'post /api/v1/session';
/** Things that always exist, to be requested. */
const REFILL_EVERY = 150;
const WHOLE_ID = /^\d{1,19}$/;

/** Recreated whenever it was deleted, so that derived files exist. */
const RECIPE = {
  name: 'small',
  title: 'Small',
  folders: ['/'],
  steps: [{ op: 'fit', mode: 'inside', width: 40 }],
  output: { format: 'jpeg', quality: 70 },
};

console.log(`Seed ${seed}, ${requests} requests.`);
const random = randomFrom(seed);
const stack = await startStack({ name: 'fuzz', workers: 1 });
const readOnly = stack.admin(['key', '--name', 'Reader', '--rights', 'library:read']);
const known = new Known();
const files = [
  await picture(80, 60),
  await picture(300, 200),
  Buffer.from('a note about a lamp'),
  Buffer.from('PK\u0003\u0004 not quite an archive'),
  (await picture(90, 90)).subarray(0, 700),
  Buffer.alloc(0),
  random.bytes(3000),
];
known.add('email', EMAIL);
known.add('password', PASSWORD);
const maker = new RequestMaker({
  generator: new Generator(random.fork(), known),
  random: random.fork(),
  known,
  files,
  keys: [stack.key, stack.key, readOnly, null, 'not-a-key'],
});
/** @type {Record<string, number>} */
const classes = {};
/** @type {Map<string, { sent: number, done: number }>} */
const byRoute = new Map();
/** @type {string[]} */
const faults = [];
/** @type {number[]} */
const times = [];
let fitting = 0;
let mostBytes = 0;

try {
  for (let n = 0; n < requests; n += 1) {
    if (n % REFILL_EVERY === 0) await refill(n);
    const route = /** @type {any} */ (ALL_ROUTES[n % ALL_ROUTES.length]);
    await attempt(route, maker.make(route));
    if (n % 500 === 499) await look(n + 1);
  }
} catch (error) {
  faults.push(`the server is gone; see var/fuzz.log (${error})`);
}

const served = [...byRoute.values()].filter(({ done }) => done > 0).length;
const db = createPool({
  host: stack.database.host,
  port: stack.database.port,
  user: stack.database.user,
  password: stack.database.password,
  database: 'uniferum',
  supportBigNumbers: true,
});
await waitForCalm();
for (const { what, times: count, examples } of await findBroken(
  /** @type {any} */ (db),
  new DiskStore(/** @type {string} */ (stack.env.UNIFERUM_DATA_DIR)),
  { hash: true },
))
  faults.push(`${count} ${what}: ${examples.join(', ')}`);
await db.end();
await stack.close();

times.sort((a, b) => a - b);
console.log(
  `\nSeed ${seed}: ${requests} requests to ${byRoute.size} routes, ${fitting} of them as their schemas want them.`,
);
console.log(
  `Answers: ${Object.entries(classes)
    .sort()
    .map(([name, count]) => `${name} ${count}`)
    .join(', ')}.`,
);
console.log(`Routes that did what they are for at least once: ${served} of ${byRoute.size}.`);
const unserved = [...byRoute].filter(([, { done }]) => done === 0).map(([name]) => name);
if (unserved.length > 0) console.log(`The others: ${unserved.join(', ')}.`);
console.log(
  `Times: median ${at(0.5)} ms, 95 % below ${at(0.95)} ms, longest ${at(1)} ms. Memory of the server: at most ${Math.round(mostBytes / 1e6)} MB.`,
);
console.log(`\n${faults.length === 0 ? 'ok    ' : 'FAULTY'}  faults: ${faults.length}`);
for (const fault of faults.slice(0, 40)) console.log(`          ${fault}`);
process.exit(faults.length === 0 ? 0 : 1);

/** @param {any} route @param {import('./fuzz/requests.mjs').Request} request */
async function attempt(route, request) {
  const name = `${route.method} ${route.path}`;
  const seen = byRoute.get(name) ?? { sent: 0, done: 0 };
  byRoute.set(name, seen);
  seen.sent += 1;
  if (request.isFitting) fitting += 1;
  const began = performance.now();
  const answer = await send(request);
  const ms = performance.now() - began;
  const isSlowedDown = name === SLOWED_DOWN;
  if (!isSlowedDown) times.push(ms);
  const label = answer.status === 0 ? 'none' : `${Math.floor(answer.status / 100)}xx`;
  classes[label] = (classes[label] ?? 0) + 1;
  if (answer.status >= 200 && answer.status < 400) seen.done += 1;
  if (answer.status === 0 || answer.status >= 500)
    faults.push(
      `${describe(request)} was answered with ${answer.status || answer.text}: ${answer.text.slice(0, 300)}`,
    );
  if (ms > SLOW_MS && !isSlowedDown)
    faults.push(`${describe(request)} took ${Math.round(ms)} ms (${answer.status})`);
  if (/\bat \S+ \(.*:\d+:\d+\)/.test(answer.text))
    faults.push(`${describe(request)} tells of our code: ${answer.text.slice(0, 200)}`);
  harvest(route.path, answer);
}

/** @param {import('./fuzz/requests.mjs').Request} request */
async function send({ method, path, headers, body }) {
  const controller = new AbortController();
  const timer = setTimeout(() => controller.abort(), 30_000);
  try {
    const response = await fetch(stack.url + path, {
      method,
      headers,
      redirect: 'manual',
      signal: controller.signal,
      ...(body !== undefined && { body }),
    });
    // The event stream never ends: its start counts as the response.
    if (response.headers.get('content-type')?.startsWith('text/event-stream')) {
      controller.abort();
      return { status: response.status, text: '', json: null, headers: response.headers };
    }
    const text = await response.text();
    const isJson = /json/.test(response.headers.get('content-type') ?? '');
    return {
      status: response.status,
      text,
      json: isJson && text !== '' ? JSON.parse(text) : null,
      headers: response.headers,
    };
  } catch (error) {
    const cause = error instanceof Error ? `${error.message} ${error.cause ?? ''}` : String(error);
    // A request that cannot be built is not a server fault.
    if (/invalid header value|ByteString|Invalid URL/i.test(cause))
      return { status: 400, text: '', json: null, headers: null };
    return { status: 0, text: `no answer (${cause})`, json: null, headers: null };
  } finally {
    clearTimeout(timer);
  }
}

/** Remembers what an answer names. @param {string} path @param {{ status: number, json: any, headers: Headers | null }} answer */
function harvest(path, { status, json, headers }) {
  if (status >= 400) return;
  const upload = /\/uploads\/([0-9a-f]{32})$/.exec(headers?.get('location') ?? '')?.[1];
  known.add('upload', upload);
  if (json === null || typeof json !== 'object') return;
  const room = /^\/api\/v1\/([a-z]+)/.exec(path)?.[1] ?? '';
  for (const item of [json, ...(Array.isArray(json.items) ? json.items.slice(0, 20) : [])])
    rememberItem(room, item);
  known.add('run', json.run?.id ?? json.run);
  known.add('intake', json.intake?.id ?? json.intake);
  known.add('cursor', json.next);
}

/** @param {string} room @param {any} item */
function rememberItem(room, item) {
  if (item === null || typeof item !== 'object') return;
  const id = WHOLE_ID.test(String(item.id)) ? String(item.id) : undefined;
  if ('sha256' in item) known.add('asset', id);
  if (room === 'folders') known.add('folder-id', id);
  if (room === 'runs') known.add('run', id);
  if (room === 'filters') known.add('filter', id);
  if (room === 'intakes') known.add('intake', id);
  if (room === 'keys' && item.secret) known.add('key', id);
  if (room === 'recipes') known.add('recipe', item.name);
  if (typeof item.reason === 'string' && 'kind' in item) {
    known.add('reason', item.reason);
    known.add('kind', item.kind);
  }
  if (typeof item.url === 'string' && item.url.includes('/made/'))
    known.add('made', item.url.split('/made/')[1]);
  if (typeof item.path === 'string') known.add('folder', item.path);
  if (typeof item.url === 'string' && item.url.includes('/media/'))
    known.add('media', item.url.split('/media/')[1]);
}

/** Brings something in that is as it should be. @param {number} n */
async function refill(n) {
  const headers = { Authorization: `Bearer ${stack.key}` };
  const form = new FormData();
  form.append('folder', `/fuzz/${n % 7}`);
  form.append('file', new Blob([/** @type {any} */ (await picture(60 + (n % 50), 50))]), `refill-${n}.jpg`);
  const upload = await fetch(`${stack.url}/api/v1/assets`, { method: 'POST', headers, body: form });
  if (upload.ok) rememberItem('assets', await upload.json());
  const json = { ...headers, 'Content-Type': 'application/json' };
  await fetch(`${stack.url}/api/v1/recipes`, { method: 'POST', headers: json, body: JSON.stringify(RECIPE) });
  known.add('recipe', RECIPE.name);
  const folders = await (await fetch(`${stack.url}/api/v1/folders`, { headers })).json();
  for (const folder of folders.items ?? []) rememberItem('folders', folder);
}

/** Whether it lives, answers and keeps its measure. @param {number} sent */
async function look(sent) {
  const health = await fetch(`${stack.url}/health`).then(
    async (response) => ({ status: response.status, text: await response.text() }),
    (error) => ({ status: 0, text: String(error) }),
  );
  if (health.status !== 200)
    faults.push(`after ${sent} requests its health is ${health.status}: ${health.text}`);
  const statm = readFileSync(`/proc/${stack.serverPid}/statm`, 'utf8');
  mostBytes = Math.max(mostBytes, Number(statm.split(' ')[1]) * 4096);
  if (sent % 2000 === 0) console.log(`${sent} sent, ${faults.length} faults`);
}

async function waitForCalm() {
  for (let tries = 0; tries < 300; tries += 1) {
    const [rows] = await db.query(
      "SELECT COUNT(*) AS n FROM runs WHERE state IN ('waiting', 'working', 'stopping')",
    );
    if (Number(/** @type {any} */ (rows)[0].n) === 0) return;
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
  faults.push('runs go on a minute after the last request');
}

/** @param {import('./fuzz/requests.mjs').Request} request */
function describe({ method, path, body }) {
  const text = typeof body === 'string' ? ` ${body.slice(0, 300)}` : '';
  return `${method} ${path.slice(0, 200)}${text}`;
}

/** @param {number} width @param {number} height */
async function picture(width, height) {
  return sharp(random.bytes(width * 3), { raw: { width, height: 1, channels: 3 } })
    .resize(width, height, { fit: 'fill' })
    .jpeg()
    .toBuffer();
}

/** @param {number} share */
function at(share) {
  return Math.round(times[Math.min(times.length - 1, Math.floor(times.length * share))] ?? 0);
}
