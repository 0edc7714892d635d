import { rm, truncate, writeFile } from 'node:fs/promises';
import { afterAll, afterEach, beforeAll, expect, test, vi } from 'vitest';
import type { ObjectFacts } from '../shared/copy-store.js';
import { openPlaced, type Placed } from '../testing/placed.js';
import { auditBucket } from './audit-bucket.js';
import { auditInTime } from './audit-in-time.js';

let placed: Placed;
let store: string;
beforeAll(async () => {
  placed = await openPlaced();
  store = await placed.addStore('offsite');
  await placed.addFile('/lights', 'first.txt');
  await placed.place('/lights', { stores: ['offsite'] });
});
afterAll(() => placed.close());
afterEach(() => placed.bucket.setFaults([]));

async function audit(mode: string, id = store) {
  const { run } = await placed.api('POST', `/stores/${id}/audit`, { mode });
  await placed.server.workUntilIdle();
  expect(await placed.api('GET', `/runs/${run.id}`)).toMatchObject({ state: 'done', failed: 0 });
  return findings(id);
}
const findings = async (id = store) =>
  (await placed.api('GET', `/stores/${id}/audit`)).items.map(
    ({ reason, asset, key }: { reason: string; asset: { name: string } | null; key: string }) =>
      `${reason} ${asset?.name ?? key}`,
  );
async function placedFile(name: string, data?: string) {
  const asset = await placed.addFile('/lights', name, data);
  await placed.settle();
  const { items } = await placed.api('GET', `/assets/${asset.id}/copies`);
  const copy = items.find((one: { store: string }) => one.store === 'offsite');
  return { asset, key: copy.key as string };
}
const stateOf = async (id: string) => (await placed.copiesOf(id)).find((copy) => copy.startsWith('offsite'));
const put = async (key: string, text: string) => {
  const bucket = placed.bucket.store({ prefix: 'offsite/' });
  const data = Buffer.from(text);
  const { createHash } = await import('node:crypto');
  const sha256 = createHash('sha256').update(data).digest('hex');
  const { Readable } = await import('node:stream');
  await bucket.put(
    key,
    { bytes: data.length, sha256, open: () => Readable.from([data]) },
    { mime: 'text/plain' },
  );
  bucket.close();
};
const remove = async (key: string) => {
  const bucket = placed.bucket.store({ prefix: 'offsite/' });
  await bucket.delete(key);
  bucket.close();
};

test('a store that is as it should be has no findings, however it is audited', async () => {
  await placed.settle();
  for (const mode of ['list', 'sample', 'full']) expect(await audit(mode)).toEqual([]);
  const { items } = await placed.api('GET', '/stores');
  expect(items.find(({ id }: { id: string }) => id === store).auditedAt).not.toBeNull();
});

test('missing, other size, other bytes of the same size, and what nobody knows are found by a list, and repaired', async () => {
  const gone = await placedFile('gone.txt');
  const longer = await placedFile('longer.txt', 'four');
  const other = await placedFile('other.txt', 'same length');
  const touched = await placedFile('touched.txt', 'rewritten');
  await remove(gone.key);
  await put(longer.key, 'fourteen');
  await put(other.key, 'SAME LENGTH');
  await put(touched.key, 'rewritten');
  await put('strange.txt', 'not ours');
  expect((await audit('list')).sort()).toEqual([
    'damaged other.txt',
    'missing gone.txt',
    'size longer.txt',
    'surplus strange.txt',
  ]);
  expect(await stateOf(gone.asset.id)).toBe('offsite null damaged');
  expect(await stateOf(touched.asset.id)).toBe('offsite null stored');
  expect((await placed.api('GET', `/stores/${store}/audit?reason=size`)).items).toHaveLength(1);
  expect((await placed.api('GET', '/stores')).items[1]).toMatchObject({ damaged: 3 });

  const { plan } = await placed.api('POST', `/stores/${store}/repair?rehearse=true`, {});
  expect(plan.totals).toEqual({ store: 3, delete: 0, nothing: 0 });
  await placed.api('POST', `/stores/${store}/repair`, {});
  await placed.server.workUntilIdle();
  expect(await findings()).toEqual(['surplus strange.txt']);
  expect(await audit('full')).toEqual(['surplus strange.txt']);
  for (const { asset } of [gone, longer, other]) expect(await stateOf(asset.id)).toBe('offsite null stored');

  await placed.api('POST', `/stores/${store}/repair`, { reasons: ['surplus'] });
  await placed.server.workUntilIdle();
  expect(await placed.keysIn()).not.toContain('strange.txt');
  expect(await audit('list')).toEqual([]);
});

test('bytes that rot without a new entity tag are found by reading', async () => {
  const { asset, key } = await placedFile('rotten.txt');
  await placed.bucket.setFaults([{ kind: 'corrupt', method: 'GET', key: `offsite/${key}` }]);
  expect(await audit('list')).toEqual([]);
  expect(await audit('full')).toEqual(['damaged rotten.txt']);
  expect(await stateOf(asset.id)).toBe('offsite null damaged');
  await placed.bucket.setFaults([]);
  expect(await audit('list')).toEqual([]);
  expect(await stateOf(asset.id)).toBe('offsite null stored');
});

test('the home store: missing and damaged files come back from their copies; others are said to be lost', async () => {
  const missing = await placedFile('at-home-missing.txt');
  const short = await placedFile('at-home-short.txt', 'to be cut');
  const wrong = await placedFile('at-home-wrong.txt', 'to be wrong');
  const alone = await placed.addFile('/alone', 'alone.txt');
  const path = (sha256: string) => placed.server.store.localPath(sha256);
  await rm(path(missing.asset.sha256));
  await truncate(path(short.asset.sha256), 3);
  await writeFile(path(wrong.asset.sha256), 'TO BE WRONG');
  await rm(path(alone.sha256));
  expect((await audit('full', 'home')).sort()).toEqual([
    'damaged at-home-wrong.txt',
    'missing alone.txt',
    'missing at-home-missing.txt',
    'size at-home-short.txt',
  ]);
  expect(await placed.copiesOf(short.asset.id)).toEqual(['offsite null stored', 'server null damaged']);
  // The copy elsewhere is the last good one now.
  const { plan: dropping } = await placed.api('POST', '/copies?rehearse=true', {
    ...{ select: { ids: [short.asset.id] }, store: 'offsite', action: 'drop' },
  });
  expect(dropping.totals).toMatchObject({ files: 0, refused: 1 });

  const { plan } = await placed.api('POST', '/stores/home/repair?rehearse=true', {});
  expect(plan.totals).toEqual({ store: 3, delete: 0, nothing: 1 });
  const { run } = await placed.api('POST', '/stores/home/repair', {});
  await placed.server.workUntilIdle();
  expect(await placed.api('GET', `/runs/${run.id}`)).toMatchObject({ done: 3, failed: 1 });
  for (const { asset } of [missing, short, wrong]) {
    expect(await placed.copiesOf(asset.id)).toEqual(['offsite null stored', 'server null stored']);
    const { bytes } = await placed.server.call('GET', `/media/lights/${asset.name}`, { key: null });
    expect(bytes.length).toBe(asset.bytes);
  }
  expect(await audit('full', 'home')).toEqual(['missing alone.txt']);
});

test('audits begin by themselves when they are due, one at a time', async () => {
  const { db } = placed.server;
  const home = { name: 'server', auditDays: null };
  expect(await auditInTime(db, home)).toEqual([]);
  await placed.api('PATCH', `/stores/${store}`, { auditDays: 7 });
  expect(await auditInTime(db, home)).toEqual([]);
  await db.query('UPDATE stores SET audited_at = audited_at - INTERVAL 7 DAY');
  expect(await auditInTime(db, home)).toEqual(['offsite']);
  expect(await auditInTime(db, home)).toEqual([]);
  await placed.server.workUntilIdle();
  expect(await auditInTime(db, home)).toEqual([]);
  expect(await auditInTime(db, { name: 'server', auditDays: 1 })).toEqual([]);
  await db.query('UPDATE copy_cursor SET home_audited_at = NULL');
  // A new installation is not audited at once.
  expect(await auditInTime(db, { name: 'server', auditDays: 1 })).toEqual([]);
  await db.query('UPDATE copy_cursor SET created_at = created_at - INTERVAL 1 DAY');
  expect(await auditInTime(db, { name: 'server', auditDays: 1 })).toEqual(['server']);
  await placed.server.workUntilIdle();
});

test('an object that was deleted after it was listed, with its record, is no finding', async () => {
  const { objects } = await placed.tools.buckets.open(placed.server.db, Number(store));
  await put('strange.txt', 'not ours');
  const there = (await objects.head('strange.txt')) as ObjectFacts;
  const list = vi.spyOn(objects, 'list').mockImplementation(async function* () {
    yield [{ ...there, key: 'deleted.txt' }, there];
  });
  const options = { sampleSize: 0, signal: new AbortController().signal };
  const { findings: found } = await auditBucket(placed.tools, Number(store), options);
  list.mockRestore();
  await remove('strange.txt');
  expect(found.map(({ reason, key }) => `${reason} ${key}`)).toEqual(['surplus strange.txt']);
});

test("an audit while files arrive and leave finds nothing that isn't so", async () => {
  const arriving = Promise.all(
    Array.from({ length: 10 }, (_, n) => placed.addFile('/lights/busy', `${n}.txt`)),
  );
  await placed.api('POST', `/stores/${store}/audit`, { mode: 'full' });
  const assets = await arriving;
  await placed.settle();
  await placed.api('POST', `/stores/${store}/audit`, { mode: 'list' });
  await placed.api('POST', '/copies', {
    ...{
      select: { ids: assets.slice(5).map(({ id }: { id: string }) => id) },
      store: 'offsite',
      action: 'drop',
    },
  });
  await placed.settle();
  expect(await findings()).toEqual([]);
});
