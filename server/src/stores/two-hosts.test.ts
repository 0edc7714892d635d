import { randomBytes } from 'node:crypto';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { findBroken } from '../house/invariants.js';
import { BUCKET_SECRET, startBucket, type TestBucket } from '../testing/bucket.js';
import { api } from '../testing/calls.js';
import { recipe } from '../testing/derived.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { zip } from '../testing/zip.js';
import { openHomeStore } from './home-store.js';

/** Two servers without a disk in common: one database, one bucket. */
let bucket: TestBucket;
let here: TestServer;
let there: TestServer;

beforeAll(async () => {
  bucket = await startBucket();
  const env = {
    UNIFERUM_DB_NAME: `test_${randomBytes(6).toString('hex')}`,
    UNIFERUM_MASTER_KEY: randomBytes(16).toString('hex'),
    UNIFERUM_HOME_ENDPOINT: bucket.endpoint,
    UNIFERUM_HOME_REGION: 'farrow-1',
    UNIFERUM_HOME_BUCKET: 'lights',
    UNIFERUM_HOME_ACCESS_KEY: 'keeper',
    UNIFERUM_HOME_SECRET: BUCKET_SECRET,
    UNIFERUM_CACHE_BYTES: '300000',
  };
  here = await startTestServer({ env });
  there = await startTestServer({ env });
});
afterAll(async () => {
  await there.close();
  await here.close();
  await bucket.close();
});

async function upload(server: TestServer, name: string, data: Uint8Array, folder = '/shared') {
  const answer = await server.call('POST', `${api}/assets`, { body: form(folder, [{ name, data }]) });
  expect(answer.status).toBe(201);
  return answer.body;
}

/** What is broken for a host that has nothing in its cache. */
async function brokenInBucket(): Promise<unknown> {
  const dataDir = await mkdtemp(join(tmpdir(), 'uniferum-third-'));
  const store = await openHomeStore({ ...here.config, dataDir });
  const findings = await findBroken(here.db, store, { hash: true });
  await rm(dataDir, { recursive: true });
  return findings;
}

const read = async (server: TestServer, path: string) =>
  (await server.call('GET', path, { key: null })).bytes;

test('what one server takes in, the other serves and renders', async () => {
  expect(here.config.dataDir).not.toBe(there.config.dataDir);
  await here.call('POST', `${api}/recipes`, { json: recipe('small', '/shared', 40) });
  const picture = await photo(800, 600);
  const { id } = await upload(here, 'dusk.jpg', picture);
  expect(picture.equals(await read(there, '/media/shared/dusk.jpg'))).toBe(true);
  await there.workUntilIdle();
  const { renditions } = (await here.call('GET', `${api}/assets/${id}`)).body;
  expect(renditions).toMatchObject([{ recipe: 'small', state: 'fresh', width: 40 }]);
  expect((await read(here, new URL(renditions[0].url).pathname)).length).toBe(renditions[0].bytes);
});

test('an archive that one server takes in is unpacked by a worker beside the other', async () => {
  const texts = Object.fromEntries([1, 2, 3, 4, 5].map((n) => [`t${n}.txt`, Buffer.from(`tide ${n}`)]));
  const body = form('/unpacked', [{ name: 'tides.zip', data: await zip(texts) }], { unpack: 'true' });
  expect((await here.call('POST', `${api}/assets`, { body })).status).toBe(202);
  await there.workUntilIdle();
  for (const [name, data] of Object.entries(texts))
    expect((await read(here, `/media/unpacked/${name}`)).equals(data)).toBe(true);
});

test('new bytes of an asset, sent to one server, are served by the other at the same address', async () => {
  const { id } = await upload(here, 'tide.txt', Buffer.from('low'));
  expect((await read(there, '/media/shared/tide.txt')).toString()).toBe('low');
  await there.call('PUT', `${api}/assets/${id}/content`, { body: Buffer.from('high') });
  expect((await read(here, '/media/shared/tide.txt')).toString()).toBe('high');
});

test('the same bytes at both at once are kept once, and nothing is broken', async () => {
  const data = randomBytes(100_000);
  await Promise.all([upload(here, 'a.bin', data), upload(there, 'b.bin', data)]);
  expect(data.equals(await read(here, '/media/shared/b.bin'))).toBe(true);
  expect(await brokenInBucket()).toEqual([]);
});

test('while the bucket is away, uploads are refused for now and nothing is half-kept', async () => {
  await bucket.stop();
  const body = form('/shared', [{ name: 'late.txt', data: Buffer.from('late') }]);
  const answer = await here.call('POST', `${api}/assets`, { body });
  expect([answer.status, answer.body.code]).toEqual([503, 'store-away']);
  await bucket.start();
  await upload(here, 'late.txt', Buffer.from('late'));
  expect((await read(there, '/media/shared/late.txt')).toString()).toBe('late');
  expect(await brokenInBucket()).toEqual([]);
});
