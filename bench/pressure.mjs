// @ts-check
// What the server's health and memory are while strangers, or people with a key, send what was never meant.
import { connect } from 'node:net';
import { Worker } from 'node:worker_threads';
import sharp from 'sharp';
import { startStack } from '../tools/stack.mjs';
import { report } from './measure.mjs';

const ATTACK_MS = 4000;
const MEGABYTE = 1_000_000;

/** @typedef {{ url: string, key: string, picture: string }} Place */

/** Watches from a thread of its own, so that what the attacks cost this process is not measured. */
const WATCH = `
const { parentPort, workerData } = require('node:worker_threads');
const { readFileSync } = require('node:fs');
const { Agent, get } = require('node:http');
const agent = new Agent({ keepAlive: true, maxSockets: 1 });
const times = [];
let most = 0;
let isOver = false;
parentPort.once('message', () => { isOver = true; });
const ask = () => new Promise((resolve) => {
  const began = performance.now();
  const end = () => resolve(performance.now() - began);
  get(workerData.url + '/health', { agent }, (res) => res.resume().once('end', end)).once('error', end);
});
(async () => {
  while (!isOver) {
    times.push(await ask());
    most = Math.max(most, Number(readFileSync('/proc/' + workerData.pid + '/statm', 'utf8').split(' ')[1]) * 4096);
    await new Promise((resolve) => setTimeout(resolve, 15));
  }
  parentPort.postMessage({ times, most });
  agent.destroy();
})();
`;

/** @type {[name: string, attack: (place: Place) => Promise<unknown>][]} */
const ATTACKS = [
  ['nothing at all', () => new Promise((resolve) => setTimeout(resolve, 200))],
  [
    'a form of 10,000 fields of 200 kB',
    ({ url, key }) =>
      send(url, 'POST', '/api/v1/assets', { key, type: 'multipart/form-data; boundary=b', body: fields() }),
  ],
  [
    '24 MB of brackets without a key',
    ({ url }) => send(url, 'POST', '/api/v1/recipes', { body: brackets(24) }),
  ],
  [
    '24 MB of brackets at the sign-in',
    ({ url }) => send(url, 'POST', '/api/v1/session', { body: brackets(24) }),
  ],
  [
    '24 MB of brackets with a key',
    ({ url, key }) => send(url, 'POST', '/api/v1/intake/manifest', { key, body: brackets(24) }),
  ],
  [
    'a 98-byte archive of 4,294,967,295 entries',
    ({ url, key }) => sendForm(url, key, 'a.zip', lyingArchive(), { unpack: 'true' }),
  ],
  [
    'a manifest of 100,000 rows and 12 MB, rehearsed',
    ({ url, key }) => send(url, 'POST', '/api/v1/intake/manifest?rehearse=true', { key, body: [MANIFEST] }),
  ],
  [
    '200 pictures on request at a time, without a key',
    ({ url, picture }) =>
      Promise.all(
        Array.from({ length: 200 }, (_, n) =>
          send(url, 'GET', `/iiif/3/${picture}/full/${300 + (n % 150)},/${n % 4}5/default.png`, {}),
        ),
      ),
  ],
  [
    'a manifest of 100,000 rows and 12 MB, taken in',
    ({ url, key }) => send(url, 'POST', '/api/v1/intake/manifest', { key, body: [MANIFEST] }),
  ],
  [
    'the description of the API, 50 at a time',
    ({ url }) => Promise.all(Array.from({ length: 50 }, () => send(url, 'GET', '/api/v1/openapi.json', {}))),
  ],
  [
    '100 sign-ins at a time',
    ({ url }) =>
      Promise.all(
        Array.from({ length: 100 }, (_, n) =>
          send(url, 'POST', '/api/v1/session', {
            body: [Buffer.from(JSON.stringify({ email: `a${n % 7}@b.example`, password: 'wrong' }))],
          }),
        ),
      ),
  ],
  [
    'pictures with 240 kB of hostile metadata',
    ({ url, key }) => sendForm(url, key, `${Math.random()}.jpg`, hostilePicture()),
  ],
  [
    '20 uploads that end together',
    ({ url, key }) =>
      Promise.all(
        Array.from({ length: 20 }, () =>
          sendForm(url, key, `${Math.random()}.txt`, Buffer.from(`${Math.random()}`)),
        ),
      ),
  ],
  ['500 connections that say nothing', ({ url }) => idle(url, 500)],
];

export async function benchPressure() {
  const grain = /** @type {any} */ ({
    create: {
      width: 1200,
      height: 900,
      channels: 3,
      background: '#888',
      noise: { type: 'gaussian', mean: 128, sigma: 20 },
    },
  });
  const picture = await sharp(grain).jpeg().toBuffer();
  // What one attack leaves in the memory is not the next one's: each has an installation of its own.
  for (const [name, attack] of ATTACKS) {
    const stack = await startStack({ name: 'bench', workers: 1 });
    const { url, key } = stack;
    const place = { url, key, picture: JSON.parse(await sendForm(url, key, 'large.jpg', picture)).id };
    const { times, most, count } = await watchDuring(stack, () => attack(place));
    const p95 = times[Math.floor(times.length * 0.95)] ?? Number.NaN;
    const detail = `${count} times, ${times.length} answers, the slowest after ${Math.round(times.at(-1) ?? 0)} ms`;
    report(`pressure: 95th percentile of the health during ${name}`, p95, {
      atMost: 50,
      unit: ' ms',
      detail,
    });
    report('pressure: most resident memory of the server meanwhile', most / MEGABYTE, {
      atMost: 300,
      unit: ' MB',
    });
    await stack.close();
  }
}

/** @param {{ url: string, serverPid: number }} stack @param {() => Promise<unknown>} attack */
async function watchDuring({ url, serverPid }, attack) {
  const watch = new Worker(WATCH, { eval: true, workerData: { url, pid: serverPid } });
  const seen = new Promise((resolve) => watch.once('message', resolve));
  const until = Date.now() + ATTACK_MS;
  let count = 0;
  for (; Date.now() < until; count += 1) await attack();
  watch.postMessage('over');
  const { times, most } = /** @type {{ times: number[], most: number }} */ (await seen);
  return { times: times.sort((a, b) => a - b), most, count };
}

/** Sends pieces as long as they are taken. @param {string} url @param {string} method @param {string} path @param {{ key?: string, type?: string, body?: Iterable<Buffer> }} options */
async function send(url, method, path, { key, type = 'application/json', body }) {
  try {
    const response = await fetch(url + path, {
      method,
      redirect: 'manual',
      headers: { ...(key && { Authorization: `Bearer ${key}` }), ...(body && { 'Content-Type': type }) },
      ...(body && /** @type {any} */ ({ body: ReadableStream.from(body), duplex: 'half' })),
    });
    return await response.text();
  } catch {
    // The line was cut: the server had enough of it.
    return '';
  }
}

/** @param {string} url @param {string} key @param {string} name @param {Buffer} data @param {Record<string, string>} [more] */
async function sendForm(url, key, name, data, more = {}) {
  const form = new FormData();
  for (const [field, value] of Object.entries({ folder: '/pressure', ...more })) form.append(field, value);
  form.append('file', new Blob([/** @type {any} */ (data)]), name);
  const response = await fetch(`${url}/api/v1/assets`, {
    method: 'POST',
    headers: { Authorization: `Bearer ${key}` },
    body: form,
  });
  return response.text();
}

function* fields() {
  const value = Buffer.alloc(200_000, 'x');
  for (let n = 0; n < 10_000; n += 1) {
    yield Buffer.from(`--b\r\nContent-Disposition: form-data; name="f${n}"\r\n\r\n`);
    yield value;
    yield Buffer.from('\r\n');
  }
}

/** @param {number} megabytes */
function* brackets(megabytes) {
  yield Buffer.from('{"content":');
  const piece = Buffer.alloc(100_000, '[');
  for (let n = 0; n < megabytes * 10; n += 1) yield piece;
}

const MANIFEST = Buffer.from(
  JSON.stringify({
    folder: '/pressure',
    content: [
      'source,name,alt',
      ...Array.from(
        { length: 100_000 },
        (_, n) => `https://a.example/${n}/${'x'.repeat(60)}.jpg,${n}.jpg,Lamp ${n}`,
      ),
    ].join('\n'),
  }),
);

/** Source: APPNOTE 4.3.14 to 4.3.16: the end of the directory in zip64, its locator, and the end that points to it. */
function lyingArchive() {
  const end64 = Buffer.alloc(56);
  end64.writeUInt32LE(0x06064b50, 0);
  end64.writeBigUInt64LE(44n, 4);
  end64.writeBigUInt64LE(0xffffffffn, 24);
  end64.writeBigUInt64LE(0xffffffffn, 32);
  const locator = Buffer.alloc(20);
  locator.writeUInt32LE(0x07064b50, 0);
  locator.writeUInt32LE(1, 16);
  const end = Buffer.alloc(22);
  end.writeUInt32LE(0x06054b50, 0);
  end.fill(0xff, 8, 20);
  return Buffer.concat([end64, locator, end]);
}

/** A picture whose metadata were made to take a parser long: markup that opens and never closes, in four segments. */
function hostilePicture() {
  const segment = (/** @type {string} */ text) => {
    const body = Buffer.concat([Buffer.from('http://ns.adobe.com/xap/1.0/\0'), Buffer.from(text)]);
    const head = Buffer.from([0xff, 0xe1, (body.length + 2) >> 8, (body.length + 2) & 0xff]);
    return Buffer.concat([head, body]);
  };
  const open = `<x:xmpmeta><rdf:RDF>${'<a:b c="'.repeat(7000)}`.slice(0, 60_000);
  return Buffer.concat([
    Buffer.from([0xff, 0xd8]),
    ...[1, 2, 3, 4].map(() => segment(open)),
    Buffer.from(`${Math.random()}`),
    Buffer.from([0xff, 0xd9]),
  ]);
}

/** @param {string} url @param {number} count */
async function idle(url, count) {
  const { hostname, port } = new URL(url);
  const sockets = Array.from({ length: count }, () => connect(Number(port), hostname).on('error', () => {}));
  for (const socket of sockets)
    socket.write('POST /api/v1/assets HTTP/1.1\r\nHost: a\r\nContent-Length: 100\r\n');
  await new Promise((resolve) => setTimeout(resolve, 1000));
  for (const socket of sockets) socket.destroy();
}
