import { mkdtempSync } from 'node:fs';
import { mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { api } from '../testing/calls.js';
import { mountSmallDisk, type SmallDisk } from '../testing/faults.js';
import { eventually, startTestServer, type TestServer } from '../testing/harness.js';
import { createEngine } from '../worker.js';

const folder = mkdtempSync(join(tmpdir(), 'uniferum-full-pages-'));
const disk = mountSmallDisk(folder, 16);

/** Only root may mount a disk. */
describe.skipIf(disk === null)('a full disk', () => {
  let server: TestServer;
  // The body of a skipped suite is run too.
  const { fill, empty, remove } = disk ?? ({} as SmallDisk);
  beforeAll(async () => {
    server = await startTestServer({ env: { UNIFERUM_SOURCE_DIRS: folder } });
  });
  afterAll(async () => {
    await server.close();
    remove();
    await rm(folder, { recursive: true, force: true });
  });

  test('holds a rewrite, which says why, leaves every document whole, and goes on once there is room', async () => {
    const site = join(folder, 'site');
    await mkdir(site);
    const page = (address: string) => `<img src=${address}>${'x'.repeat(200_000)}`;
    for (let n = 0; n < 20; n += 1) await writeFile(join(site, `${n}.html`), page('/old/a.jpg'));
    const post = async (path: string, json: object) =>
      (await server.call('POST', `${api}${path}`, { json })).body;
    const { id } = await post('/sources', { name: 'Site', settings: { path: site, writable: true } });
    await post(`/sources/${id}/index`, {});
    await server.workUntilIdle();
    const documents = () =>
      Promise.all(Array.from({ length: 20 }, (_, n) => readFile(join(site, `${n}.html`), 'utf8')));
    fill(100_000);
    const { run } = await post('/rewrites', {
      sources: [id],
      map: [{ from: '/old/a.jpg', to: '/new/a.jpg' }],
    });
    const read = async () => (await server.call('GET', `${api}/runs/${run.id}`)).body;
    const engine = createEngine(server.services, server.house);
    await engine.start();
    try {
      await eventually(async () => (await read()).heldReason !== null);
      expect((await read()).heldReason).toContain('is full');
      for (const text of await documents()) expect([page('/old/a.jpg'), page('/new/a.jpg')]).toContain(text);
      empty();
      await eventually(async () => ['done', 'faulty', 'failed'].includes((await read()).state));
    } finally {
      await engine.close();
    }
    expect(await read()).toMatchObject({ state: 'done', done: 20, failed: 0 });
    expect(await documents()).toEqual(Array(20).fill(page('/new/a.jpg')));
    expect((await readdir(site)).filter((name) => name.startsWith('.'))).toEqual([]);
  });
});
