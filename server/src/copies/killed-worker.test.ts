import { afterAll, beforeAll, expect, test } from 'vitest';
import { eventually } from '../testing/harness.js';
import { openPlaced, type Placed } from '../testing/placed.js';
import { killProcess, startWorkerProcess } from '../testing/worker-process.js';

const FILES = 40;
const KILLS = 4;

let placed: Placed;
beforeAll(async () => {
  placed = await openPlaced();
  await placed.addStore('offsite');
  await placed.addStore('vault');
});
afterAll(() => placed.close());

const startWorker = () => startWorkerProcess(placed.server);

const countOf = async (sql: string) => {
  const [rows] = await placed.server.db.query(sql);
  return Number((rows as { n: number }[])[0]?.n);
};

test('a worker killed again and again while files move to two stores: each has a good copy all the time, and at the end', async () => {
  const assets: { id: string; name: string }[] = [];
  for (let n = 0; n < FILES; n += 1)
    assets.push(await placed.addFile('/moving', `${n}.txt`, `File ${n} `.repeat(2000 + n)));
  await placed.place('/moving', { stores: ['offsite', 'vault'], keepLocal: false });
  await placed.bucket.setFaults([{ kind: 'slow', method: 'PUT', waitMs: 15 }]);
  for (let round = 0; round < KILLS; round += 1) {
    const worker = await startWorker();
    const before = await countOf("SELECT COUNT(*) AS n FROM placed_copies WHERE state = 'stored'");
    await eventually(
      async () =>
        (await countOf("SELECT COUNT(*) AS n FROM placed_copies WHERE state = 'stored'")) > before + 6,
    );
    await killProcess(worker);
    // Every file can be read at any moment, from wherever it is.
    for (const { name } of assets.slice(round * 10, round * 10 + 10)) {
      const { status, bytes } = await placed.server.call('GET', `/media/moving/${name}`, { key: null });
      const n = Number.parseInt(name, 10);
      expect([status, bytes.toString()], name).toEqual([200, `File ${n} `.repeat(2000 + n)]);
    }
  }
  await placed.bucket.setFaults([]);
  const worker = await startWorker();
  await eventually(
    async () =>
      (await countOf("SELECT COUNT(*) AS n FROM runs WHERE state IN ('waiting', 'working', 'stopping')")) ===
      0,
  );
  await killProcess(worker);
  for (const { id, name } of assets)
    expect(
      (await placed.copiesOf(id)).filter((copy) => !copy.startsWith('server')),
      name,
    ).toEqual(['offsite null stored', 'vault null stored']);
  for (const { id } of (await placed.api('GET', '/stores')).items) {
    await placed.api('POST', `/stores/${id}/audit`, { mode: 'full' });
    await placed.server.workUntilIdle();
    expect((await placed.api('GET', `/stores/${id}/audit`)).items, id).toEqual([]);
  }
});
