import { mkdtemp, readdir, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, inject, test } from 'vitest';
import { type Line, mountSmallDisk, openLine, type SmallDisk } from '../testing/faults.js';
import { eventually } from '../testing/harness.js';
import { openPlaced, type Placed } from '../testing/placed.js';
import { createEngine } from '../worker.js';

const visit = (placed: Placed, path: string) => placed.server.call('GET', path, { key: null });

const folder = await mkdtemp(join(tmpdir(), 'uniferum-small-'));
const disk = mountSmallDisk(folder, 32);

/** Only root may mount a disk. */
describe.skipIf(disk === null)('with a full disk', () => {
  let placed: Placed;
  // The body of a skipped suite is run too.
  const { fill, empty, remove } = disk ?? ({} as SmallDisk);
  beforeAll(async () => {
    placed = await openPlaced({ UNIFERUM_DATA_DIR: join(folder, 'data') });
    await placed.addStore('offsite');
  });
  afterAll(async () => {
    await placed.close();
    remove();
    await rm(folder, { recursive: true, force: true });
  });

  test("a file that is stored elsewhere can't come back, says so, and leaves nothing half; it comes once there is room", async () => {
    const text = 'far away '.repeat(200_000);
    const asset = await placed.addFile('/far', 'large.txt', text);
    await placed.place('/far', { stores: ['offsite'], keepLocal: false });
    await placed.settle();
    expect(await placed.copiesOf(asset.id)).toEqual(['offsite null stored']);
    fill(100_000);
    const full = await visit(placed, '/media/far/large.txt');
    expect([full.status, full.body.code]).toEqual([507, 'storage-full']);
    expect(await placed.copiesOf(asset.id)).toEqual(['offsite null stored']);
    expect(await readdir(placed.server.store.scratch())).toEqual([]);
    empty();
    expect((await visit(placed, '/media/far/large.txt')).bytes.toString()).toBe(text);
  });
});

describe('without the database', () => {
  let placed: Placed;
  let line: Line;
  beforeAll(async () => {
    line = await openLine(inject('database').port);
    placed = await openPlaced({ UNIFERUM_DB_PORT: String(line.port), UNIFERUM_LEASE_MS: '1500' });
    await placed.addStore('offsite');
  });
  afterAll(async () => {
    await placed.close();
    await line.close();
  });

  test('copying and leaving go on when it is back: every file has a good copy, and the bucket holds nothing else', async () => {
    const assets: { id: string; name: string }[] = [];
    for (let n = 0; n < 30; n += 1) assets.push(await placed.addFile('/cut', `${n}.txt`));
    await placed.bucket.setFaults([{ kind: 'slow', method: 'PUT', waitMs: 30 }]);
    await placed.place('/cut', { stores: ['offsite'], keepLocal: false });
    const engine = createEngine(placed.server.services, placed.server.house);
    await engine.start();
    try {
      for (const least of [3, 12]) {
        await eventually(async () => (await placed.keysIn()).length >= least);
        await line.cut();
        await line.mend();
      }
      await eventually(async () => {
        const { status, body } = await placed.server.call('GET', '/api/v1/runs?limit=1');
        return status === 200 && ['done', 'faulty', 'failed'].includes(body.items[0].state);
      });
    } finally {
      await engine.close();
    }
    await placed.settle();
    for (const { id, name } of assets) {
      expect(await placed.copiesOf(id), name).toContain('offsite null stored');
      expect((await visit(placed, `/media/cut/${name}`)).bytes.toString()).toBe(`The bytes of /cut/${name}`);
    }
    const { items } = await placed.api('GET', '/stores');
    await placed.api('POST', `/stores/${items[1].id}/audit`, { mode: 'full' });
    await placed.server.workUntilIdle();
    expect((await placed.api('GET', `/stores/${items[1].id}/audit`)).items).toEqual([]);
  });
});
