import { type ChildProcess, fork } from 'node:child_process';
import { createHash } from 'node:crypto';
import { buffer } from 'node:stream/consumers';
import { fileURLToPath } from 'node:url';
import sharp from 'sharp';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { eventually, form, photo, startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
const workers: ChildProcess[] = [];
beforeAll(async () => {
  server = await startTestServer({ env: { UNIFERUM_LEASE_MS: '1500' } });
});
afterAll(async () => {
  for (const worker of workers) worker.kill('SIGKILL');
  await server.close();
});

const readRun = async (id: string) => (await server.call('GET', `/api/v1/runs/${id}`)).body;

function startWorker(): ChildProcess {
  const file = fileURLToPath(new URL('../../dist/worker-main.js', import.meta.url));
  const worker = fork(file, {
    env: { ...process.env, ...server.env, UNIFERUM_WORKER_SLOTS: '2' },
    stdio: 'ignore',
  });
  workers.push(worker);
  return worker;
}

test('kill -9 of the worker half-way: a new one ends every item exactly once, and no half-written file is visible', async () => {
  for (const [name, width] of [
    ['wide', 1200],
    ['column', 700],
    ['tile', 200],
  ] as const) {
    await server.call('POST', '/api/v1/recipes', {
      json: {
        name,
        title: name,
        steps: [{ op: 'fit', mode: name === 'tile' ? 'cover' : 'inside', width, height: width }],
      },
    });
  }
  const files = await Promise.all(
    Array.from({ length: 24 }, async (_, n) => ({ name: `${n}.jpg`, data: await photo(1500, 1000, n + 1) })),
  );
  await server.call('POST', '/api/v1/assets', { body: form('/killed', files) });
  const [{ id }] = (await server.call('GET', '/api/v1/runs')).body.items;

  for (const share of [0.2, 0.55]) {
    const worker = startWorker();
    await eventually(async () => (await readRun(id)).done >= 24 * share);
    worker.kill('SIGKILL');
    await new Promise((resolve) => worker.once('exit', resolve));
    expect((await readRun(id)).done).toBeLessThan(24);
  }
  startWorker();
  await eventually(async () => (await readRun(id)).state === 'done');

  expect(await readRun(id)).toMatchObject({ total: 24, done: 24, failed: 0, skipped: 0 });
  const events = (
    await server.db.query(
      "SELECT asset_id, COUNT(*) AS n FROM events WHERE type = 'asset.renditions' GROUP BY asset_id",
    )
  )[0] as { n: number }[];
  expect(events.map(({ n }) => n)).toEqual(Array(24).fill(1));
  await expectWholeBlobs();
  const { items } = (await server.call('GET', '/api/v1/assets?folder=/killed&limit=100')).body;
  for (const { renditions } of items) {
    for (const { state, url, width, height } of renditions) {
      const { bytes } = await server.call('GET', url.slice(server.url.length), { key: null });
      const info = await sharp(bytes).metadata();
      expect([state, info.width, info.height]).toEqual(['fresh', width, height]);
    }
  }
});

/** Every blob has its digest: none is there in part. */
async function expectWholeBlobs(): Promise<void> {
  for await (const digests of server.store.listKept())
    for (const sha256 of digests)
      expect(
        createHash('sha256')
          .update(await buffer(server.store.open(sha256)))
          .digest('hex'),
      ).toBe(sha256);
}
