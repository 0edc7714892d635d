// @ts-check
// Uploads to a bucket compared with the standard client, memory for a 2 GB object, and serving compared with a static handler.
import { fork } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { once } from 'node:events';
import { createReadStream, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { createClient } from '@uniferum/client';
import { ROOT, VAR } from '../tools/prepare.mjs';
import { startStack } from '../tools/stack.mjs';
import { inParallel, median, report, seconds } from './measure.mjs';

const FOLDER = join(VAR, 'bench-stores');
const FILES = 2000;
const BYTES = 100_000;
const IN_FLIGHT = 8;
const SECRET = 'lamp-and-lens';

const require = createRequire(join(ROOT, 'server/package.json'));
const { PutObjectCommand, S3Client } = require('@aws-sdk/client-s3');

async function startBucket() {
  const child = fork(join(ROOT, 'standins/dist/bucket/main.js'), {
    env: {
      ...process.env,
      BUCKET_FOLDER: join(FOLDER, 'bucket'),
      BUCKET_ACCESS_KEY: 'keeper',
      BUCKET_SECRET: SECRET,
      BUCKET_NAMES: 'lights',
    },
  });
  const [{ port }] = await once(child, 'message');
  return { endpoint: `http://127.0.0.1:${port}`, end: () => child.kill() };
}

/** @param {string} endpoint */
async function openStore(endpoint) {
  const { createBucketClient } = await import('../server/dist/stores/bucket-client.js');
  const { BucketStore } = await import('../server/dist/stores/bucket-store.js');
  /** @type {import('@uniferum/core/connections').BucketSettings} */
  const settings = {
    ...{ endpoint, region: 'farrow-1', bucket: 'lights', prefix: 'ours/', addressing: 'path' },
    ...{ accessKey: 'keeper', publicUrl: null, maxParallel: IN_FLIGHT, maxPerSecond: null },
  };
  const allowedHosts = new Set([new URL(endpoint).host]);
  return new BucketStore('bench', settings, createBucketClient({ allowedHosts }, settings, SECRET));
}

async function benchSending() {
  const { endpoint, end } = await startBucket();
  const files = Array.from({ length: FILES }, (_, n) => {
    const [path, data] = [join(FOLDER, `${n}.bin`), randomBytes(BYTES)];
    writeFileSync(path, data);
    return { path, sha256: createHash('sha256').update(data).digest('hex') };
  });
  const store = await openStore(endpoint);
  const client = new S3Client({
    ...{ endpoint, region: 'farrow-1', forcePathStyle: true },
    credentials: { accessKeyId: 'keeper', secretAccessKey: SECRET },
  });
  const direct = () =>
    inParallel(files, IN_FLIGHT, async ({ path }, n) =>
      client.send(
        new PutObjectCommand({
          ...{ Bucket: 'lights', Key: `direct/${n}`, ContentType: 'image/jpeg' },
          Body: await readFile(path),
        }),
      ),
    );
  const ours = () =>
    inParallel(files, IN_FLIGHT, ({ path, sha256 }, n) =>
      store.put(
        String(n),
        { bytes: BYTES, sha256, open: (range) => createReadStream(path, range) },
        { mime: 'image/jpeg' },
      ),
    );
  await ours();
  const pairs = [];
  for (let n = 0; n < 3; n += 1) pairs.push({ direct: await seconds(direct), ours: await seconds(ours) });
  store.close();
  client.destroy();
  end();
  const [slow, fast] = [median(pairs.map((pair) => pair.direct)), median(pairs.map((pair) => pair.ours))];
  report('stores: 2,000 files of 100 KB against the standard client', slow / fast, {
    atLeast: 0.8,
    detail: `${Math.round(FILES / fast)} files/s against ${Math.round(FILES / slow)}`,
  });
}

async function benchMemory() {
  const { endpoint, end } = await startBucket();
  const peaks = [];
  for (const megabytes of [100, 2000]) {
    const child = fork(join(ROOT, 'bench/store-memory.mjs'), [
      endpoint,
      join(FOLDER, 'large.bin'),
      String(megabytes),
    ]);
    const [peak] = await once(child, 'message');
    peaks.push(peak);
  }
  end();
  const [small = 0, large = 0] = peaks;
  report(
    'stores: most resident memory over an object of 2 GB, sent and read, against one of 100 MB',
    large / small,
    {
      atMost: 1.3,
      detail: `${large.toFixed(0)} MB against ${small.toFixed(0)}`,
    },
  );
}

async function benchServing() {
  const stack = await startStack({ name: 'bench', workers: 0 });
  const data = randomBytes(BYTES);
  writeFileSync(join(FOLDER, 'original.bin'), data);
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  await uniferum.assets.upload({
    folder: '/bench',
    files: [{ name: 'original.bin', data: new Blob([data]) }],
  });
  const child = fork(join(ROOT, 'bench/static-handler.mjs'), [FOLDER]);
  const [port] = await once(child, 'message');
  const pairs = [];
  for (let n = 0; n < 5; n += 1)
    pairs.push({
      ours: await requestsPerSecond(`${stack.url}/media/bench/original.bin`),
      plain: await requestsPerSecond(`http://127.0.0.1:${port}/original.bin`),
    });
  child.kill();
  await stack.close();
  const [ours, plain] = [median(pairs.map((pair) => pair.ours)), median(pairs.map((pair) => pair.plain))];
  // Both of a pair meet the same load of the machine.
  const ratio = median(pairs.map((pair) => pair.ours / pair.plain));
  report('stores: serving an original of 100 KB against the static handler', ratio, {
    atLeast: 0.5,
    detail: `${Math.round(ours)} requests/s against ${Math.round(plain)}`,
  });
}

/** Copies by a run: planned, recorded before and after, and verified, one item for each file. */
async function benchPlacing() {
  const { endpoint, end } = await startBucket();
  const stack = await startStack({
    ...{ name: 'bench', workers: 1 },
    env: { UNIFERUM_ALLOWED_HOSTS: new URL(endpoint).host },
  });
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  const settings = { endpoint, region: 'farrow-1', bucket: 'lights', prefix: 'placed/', accessKey: 'keeper' };
  const connection = await uniferum.connections.add({ name: 'Bench', settings, secret: SECRET });
  await uniferum.stores.add({ name: 'bench', connection: connection.id });
  const files = Array.from({ length: FILES }, (_, n) => ({ name: `${n}.bin`, data: randomBytes(BYTES) }));
  for (let at = 0; at < FILES; at += 100)
    await uniferum.assets.upload({
      folder: '/placed',
      files: files.slice(at, at + 100).map(({ name, data }) => ({ name, data: new Blob([data]) })),
    });
  const client = new S3Client({
    ...{ endpoint, region: 'farrow-1', forcePathStyle: true },
    credentials: { accessKeyId: 'keeper', secretAccessKey: SECRET },
  });
  const direct = () =>
    inParallel(files, IN_FLIGHT, ({ data }, n) =>
      client.send(new PutObjectCommand({ Bucket: 'lights', Key: `direct/${n}`, Body: data })),
    );
  /** @param {'add' | 'drop'} action */
  const change = async (action) => {
    const { run } = await uniferum.copies.change({ select: { folder: '/placed' }, store: 'bench', action });
    const ended = await uniferum.runs.wait(run.id);
    if (ended.state !== 'done') throw new Error(`The run ended ${ended.state}`);
  };
  await direct();
  const pairs = [];
  for (let n = 0; n < 3; n += 1) {
    pairs.push({ direct: await seconds(direct), ours: await seconds(() => change('add')) });
    await change('drop');
  }
  client.destroy();
  await stack.close();
  end();
  const [slow, fast] = [median(pairs.map((pair) => pair.direct)), median(pairs.map((pair) => pair.ours))];
  report(
    'stores: 2,000 files of 100 KB copied by a run of one worker against the standard client',
    slow / fast,
    {
      atLeast: 0.8,
      detail: `${Math.round(FILES / fast)} files/s against ${Math.round(FILES / slow)}`,
    },
  );
}

const KEYS = 100_000;
const ROWS_AT_A_TIME = 1000;

/** The records of the audit are compared with the list; nothing is read. */
async function benchAudit() {
  const { endpoint, end } = await startBucket();
  const host = new URL(endpoint).host;
  const stack = await startStack({ name: 'bench', workers: 0, env: { UNIFERUM_ALLOWED_HOSTS: host } });
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  const settings = { endpoint, region: 'farrow-1', bucket: 'lights', prefix: 'audit/', accessKey: 'keeper' };
  const connection = await uniferum.connections.add({ name: 'Bench', settings, secret: SECRET });
  const { id } = await uniferum.stores.add({ name: 'bench', connection: connection.id });
  const { readConfig } = await import('../server/dist/shared/config.js');
  const { openDatabase } = await import('../server/dist/shared/pooled-database.js');
  const { Buckets } = await import('../server/dist/copies/buckets.js');
  const { auditBucket } = await import('../server/dist/copies/audit-bucket.js');
  const config = readConfig({ ...process.env, ...stack.env });
  const db = openDatabase(config.database);
  const buckets = new Buckets(config);
  const { objects } = await buckets.open(db, Number(id));
  const data = Buffer.from('x');
  const sha256 = createHash('sha256').update(data).digest('hex');
  /** @type {unknown[][]} */
  const rows = [];
  await inParallel(Array.from({ length: KEYS }), IN_FLIGHT, async (_, n) => {
    const key = `folder-${n % 100}/picture-${n}.jpg`;
    const { etag } = await objects.put(
      key,
      { bytes: 1, sha256, open: () => Readable.from([data]) },
      { mime: 'image/jpeg' },
    );
    rows.push([n + 1, Number(id), '', '', sha256, 'stored', key, 1, 'image/jpeg', etag, new Date(0)]);
  });
  for (let at = 0; at < KEYS; at += ROWS_AT_A_TIME)
    await db.query(
      `INSERT INTO placed_copies (asset_id, store_id, recipe, variant, sha256, state, store_key, bytes, mime, etag, checked_at)
       VALUES ?`,
      [rows.slice(at, at + ROWS_AT_A_TIME)],
    );
  const list = async () => {
    let listed = 0;
    for await (const page of objects.list()) listed += page.length;
    if (listed !== KEYS) throw new Error(`Expected ${KEYS} keys, got ${listed}`);
  };
  const audit = async () => {
    const { findings, listed } = await auditBucket(
      { db, buckets, store: /** @type {any} */ (null) },
      Number(id),
      {
        sampleSize: 0,
        signal: new AbortController().signal,
      },
    );
    if (findings.length > 0 || listed !== KEYS)
      throw new Error(
        `Expected ${KEYS} keys as they should be, got ${listed} with ${findings.length} findings`,
      );
  };
  await list();
  const pairs = [];
  for (let n = 0; n < 5; n += 1) pairs.push({ list: await seconds(list), audit: await seconds(audit) });
  buckets.close();
  await db.end();
  await stack.close();
  end();
  const [plain, whole] = [median(pairs.map((pair) => pair.list)), median(pairs.map((pair) => pair.audit))];
  report('stores: an audit of 100,000 keys against listing them', whole / plain, {
    atMost: 1.5,
    detail: `${whole.toFixed(1)} s against ${plain.toFixed(1)}`,
  });
}

const REQUESTS = 3000;

/** @param {string} address */
async function requestsPerSecond(address) {
  const { Agent, request } = require('undici');
  const dispatcher = new Agent({ connections: 16 });
  const read = async () => {
    const { body, statusCode } = await request(address, { dispatcher });
    if (statusCode !== 200) throw new Error(`${address} answered with ${statusCode}`);
    await body.dump();
  };
  await inParallel(Array.from({ length: 200 }), 16, read);
  const took = await seconds(() => inParallel(Array.from({ length: REQUESTS }), 16, read));
  await dispatcher.close();
  return REQUESTS / took;
}

export async function benchStores() {
  rmSync(FOLDER, { recursive: true, force: true });
  mkdirSync(FOLDER, { recursive: true });
  const only = process.env.STORES_ONLY;
  const parts = {
    sending: benchSending,
    placing: benchPlacing,
    memory: benchMemory,
    serving: benchServing,
    audit: benchAudit,
  };
  for (const [name, part] of Object.entries(parts)) if (only === undefined || only === name) await part();
  rmSync(FOLDER, { recursive: true, force: true });
}
