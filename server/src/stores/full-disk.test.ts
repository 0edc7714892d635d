import { mkdir, mkdtemp, readdir, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as tus from 'tus-js-client';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { findBroken } from '../house/invariants.js';
import { api, callsOf } from '../testing/calls.js';
import { recipe } from '../testing/derived.js';
import { mountSmallDisk, type SmallDisk } from '../testing/faults.js';
import { eventually, form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { zip } from '../testing/zip.js';
import { createEngine } from '../worker.js';

const folder = await mkdtemp(join(tmpdir(), 'uniferum-small-'));
const disk = mountSmallDisk(folder, 48);

/** Only root may mount a disk: elsewhere what is said of a full one is tested by the store's own tests. */
describe.skipIf(disk === null)('a full disk', () => {
  let server: TestServer;
  // The body of a skipped suite is run too.
  const { fill, empty, remove } = disk ?? ({} as SmallDisk);
  beforeAll(async () => {
    server = await startTestServer({ env: { UNIFERUM_DATA_DIR: join(folder, 'data') } });
  });
  afterAll(async () => {
    await server.close();
    remove();
    await rm(folder, { recursive: true, force: true });
  });
  const { assetsOf, filesOf } = callsOf(() => server);

  const noise = (megabytes: number, seed: number) => {
    const data = Buffer.alloc(megabytes * 1_000_000);
    let state = seed;
    for (let at = 0; at < data.length; at += 4) {
      state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
      data.writeUInt32LE(state, at);
    }
    return data;
  };
  const staged = () => readdir(server.store.scratch());

  /** Works until the newest run says that it rests, frees the disk, and works until it has ended. */
  async function workThroughFullness(): Promise<{
    state: string;
    done: number;
    failed: number;
    reason: string;
  }> {
    const engine = createEngine(server.services, server.house);
    const newest = async () => (await server.call('GET', `${api}/runs?limit=1`)).body.items[0];
    await engine.start();
    try {
      await eventually(async () => (await newest()).heldReason !== null);
      const reason = (await newest()).heldReason;
      empty();
      await eventually(async () => ['done', 'faulty', 'failed'].includes((await newest()).state));
      return { ...(await newest()), reason };
    } finally {
      await engine.close();
    }
  }

  test('answers uploads with 507, keeps nothing of them, and shows in the health of the store', async () => {
    fill(2_000_000);
    const { status, body, headers } = await server.call('POST', `${api}/assets`, {
      body: form('/full', [{ name: 'a.bin', data: noise(4, 1) }]),
    });
    expect([status, body.code, headers.get('retry-after')]).toEqual([507, 'storage-full', '30']);
    expect(await staged()).toEqual([]);
    expect(await assetsOf('/full')).toEqual([]);
    fill(0);
    await eventually(async () => (await server.call('GET', '/health', { key: null })).body.store === 'full');
    // Nothing of it is a verdict.
    const { items } = (await server.call('GET', `${api}/intakes`)).body;
    expect(items.every(({ refused }: { refused: number }) => refused === 0)).toBe(true);
    empty();
    const again = await server.call('POST', `${api}/assets`, {
      body: form('/full', [{ name: 'a.bin', data: noise(4, 1) }]),
    });
    expect(again.status).toBe(201);
    await eventually(async () => (await server.call('GET', '/health', { key: null })).body.store === 'ok');
  });

  test('answers new bytes of an asset with 507 on the line that sent them', async () => {
    const { body: asset } = await server.call('POST', `${api}/assets`, {
      body: form('/replaced', [{ name: 'a.bin', data: Buffer.from('before') }]),
    });
    fill(2_000_000);
    const { status, body } = await server.call('PUT', `${api}/assets/${asset.id}/content`, {
      // So long that it is still being sent when the disk is full.
      body: noise(14, 3) as unknown as BodyInit,
      headers: { 'Content-Type': 'application/octet-stream' },
    });
    expect([status, body.code]).toEqual([507, 'storage-full']);
    expect(await staged()).toEqual([]);
    empty();
    expect((await server.call('GET', `${api}/assets/${asset.id}`)).body).toMatchObject({
      version: 1,
      bytes: 6,
    });
  });

  test('holds the files of an archive, and takes every one of them when it has room again', async () => {
    const archive = await zip({ 'a.bin': noise(3, 11), 'b.bin': noise(3, 12), 'c.bin': noise(3, 13) });
    const { status, body } = await server.call('POST', `${api}/assets`, {
      body: form('/unpacked', [{ name: 'a.zip', data: archive }], { unpack: 'true' }),
    });
    expect(status).toBe(202);
    fill(1_500_000);
    const run = await workThroughFullness();
    expect([run.state, run.reason]).toEqual(['done', expect.stringContaining('is full')]);
    expect((await filesOf(body.intake.id ?? body.intake)).map(({ outcome }) => outcome)).toEqual([
      'accepted',
      'accepted',
      'accepted',
    ]);
    expect(await assetsOf('/unpacked')).toHaveLength(3);
  });

  test('holds the files of the inbox', async () => {
    await rm(server.inbox, { recursive: true, force: true });
    await mkdir(server.inbox, { recursive: true });
    for (const n of [1, 2]) await writeFile(join(server.inbox, `${n}.bin`), noise(2, 20 + n));
    const { body } = await server.call('POST', `${api}/inbox/register`, {
      json: { folder: '/from-inbox', mode: 'copy' },
    });
    fill(500_000);
    const run = await workThroughFullness();
    expect([run.state, run.failed]).toEqual(['done', 0]);
    expect((await filesOf(body.intake.id)).map(({ outcome }) => outcome)).toEqual(['accepted', 'accepted']);
  });

  test('holds what is made, and fails no picture', async () => {
    await server.call('POST', `${api}/recipes`, {
      json: recipe('wide', '/made', 1500, { output: { format: 'png' } }),
    });
    const { body } = await server.call('POST', `${api}/assets`, {
      body: form('/made', [{ name: 'a.jpg', data: await photo(1600, 1200, 5) }]),
    });
    fill(300_000);
    const run = await workThroughFullness();
    expect([run.state, run.failed]).toEqual(['done', 0]);
    const { renditions } = (await server.call('GET', `${api}/assets/${body.id}`)).body;
    expect(renditions.map(({ state }: { state: string }) => state)).toEqual(['fresh']);
  });

  test('stops a resumable upload, which goes on from where it came to', async () => {
    const data = noise(5, 31);
    fill(2_500_000);
    const key = await server.key();
    const statuses: number[] = [];
    let isFreed = false;
    await new Promise<void>((resolve, reject) => {
      const upload = new tus.Upload(data as unknown as Blob, {
        endpoint: `${server.url}${api}/uploads`,
        headers: { Authorization: `Bearer ${key}` },
        metadata: { filename: 'a.bin', folder: '/resumed' },
        chunkSize: 1_000_000,
        retryDelays: [50, 100, 200, 400],
        onShouldRetry: (error) => {
          statuses.push(error.originalResponse?.getStatus() ?? 0);
          if (!isFreed) empty();
          isFreed = true;
          return true;
        },
        onError: reject,
        onSuccess: () => resolve(),
      });
      upload.start();
    });
    expect(statuses[0]).toBe(507);
    const [asset] = (await assetsOf('/resumed')) as unknown as { id: string }[];
    const content = await server.call('GET', `${api}/assets/${asset?.id}/content`);
    expect(content.bytes.equals(data)).toBe(true);
  });

  test('has left nothing broken', async () => {
    expect(await findBroken(server.db, server.store, { hash: true })).toEqual([]);
    expect(await staged()).toEqual([]);
  });
});
