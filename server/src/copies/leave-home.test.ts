import { existsSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import sharp from 'sharp';
import { afterAll, afterEach, beforeAll, expect, test } from 'vitest';
import { sweepBlobs } from '../library/sweep.js';
import { openPlaced, type Placed, small } from '../testing/placed.js';
import { leaveHome } from './leave-home.js';
import { leaveHomeInTime } from './leave-in-time.js';
import { sweepCopies } from './sweep.js';

let placed: Placed;
beforeAll(async () => {
  placed = await openPlaced();
  await placed.addStore('offsite');
});
afterAll(() => placed.close());
afterEach(async () => {
  await placed.bucket.start();
  await placed.bucket.setFaults([]);
});

const isHere = ({ sha256 }: { sha256: string }) => existsSync(placed.server.store.localPath(sha256));
const visit = (path: string) => placed.server.call('GET', path, { key: null });
async function change(action: string, store: string, ids: string[]) {
  const { run } = await placed.api('POST', '/copies', { select: { ids }, store, action });
  await placed.server.workUntilIdle();
  return placed.api('GET', `/runs/${run.id}`);
}
const tools = () => ({ ...placed.tools, joints: placed.server.house.plugged.joints });
const leaveInTime = () => leaveHomeInTime(tools(), placed.server.services.log);
const age = (days: number) =>
  placed.server.db.query('UPDATE copies SET created_at = created_at - INTERVAL ? DAY', [days]);

test('files leave once the store has them, and come back for whoever needs them', async () => {
  await placed.api('POST', '/recipes', small('card', '/lights'));
  const before = await placed.addPicture('/lights', 'dawn.jpg', 7);
  await placed.server.workUntilIdle();
  await placed.place('/lights', { stores: ['offsite'], keepLocal: false });
  await placed.settle();
  expect(await placed.copiesOf(before.id)).toEqual(['offsite card stored', 'offsite null stored']);
  expect(isHere(before)).toBe(false);
  expect((await placed.api('GET', '/stores')).items[0]).toMatchObject({ isHome: true, copies: 0, bytes: 0 });

  const original = await visit('/media/lights/dawn.jpg');
  expect([original.status, original.bytes.length]).toEqual([200, before.bytes]);
  expect(isHere(before)).toBe(true);
  expect((await visit('/media/lights/dawn~card.jpg')).status).toBe(200);
  expect(await placed.copiesOf(before.id)).toHaveLength(4);
  await placed.settle();
  expect(await leaveInTime()).toBe(2);
  expect(isHere(before)).toBe(false);

  // A rendition is made of an original that is elsewhere.
  await placed.api('POST', '/recipes', small('tiny', '/lights'));
  await placed.api('POST', '/recipes/rebuild', { recipes: ['tiny'], only: 'missing' });
  await placed.settle();
  const tiny = await visit('/media/lights/dawn~tiny.jpg');
  expect((await sharp(tiny.bytes).metadata()).width).toBe(200);
});

test('while the store is away, what is only there answers 503, and nothing is lost', async () => {
  const asset = await placed.addFile('/lights', 'away.txt', 'far away');
  await placed.settle();
  expect(isHere(asset)).toBe(false);
  await placed.bucket.stop();
  const answer = await visit('/media/lights/away.txt');
  expect([answer.status, answer.body.code]).toEqual([503, 'store-away']);
  await placed.bucket.start();
  expect((await visit('/media/lights/away.txt')).bytes.toString()).toBe('far away');
});

test('a damaged copy is never served, and keeps the file here', async () => {
  const asset = await placed.addFile('/damage', 'log.txt', 'the log');
  await placed.place('/damage', { stores: ['offsite'] });
  await placed.settle();
  const [key] = (await placed.keysIn()).filter((one) => one.startsWith('damage/'));
  const bucket = placed.bucket.store({ prefix: 'offsite/' });
  await bucket.delete(key ?? '');
  bucket.close();
  // It is recorded as stored: only looking shows that it isn't.
  const run = await change('drop', 'server', [asset.id]);
  expect(run).toMatchObject({ state: 'done', skipped: 1 });
  expect(isHere(asset)).toBe(true);
  expect((await visit('/media/damage/log.txt')).bytes.toString()).toBe('the log');
});

test('bytes that change in the store are not served: the copy counts as damaged', async () => {
  const asset = await placed.addFile('/lights', 'rotten.txt', 'as it was');
  await placed.settle();
  const [key] = (await placed.keysIn()).filter((one) => one.startsWith('lights/rotten.'));
  await placed.bucket.setFaults([{ kind: 'corrupt', method: 'GET', key: `offsite/${key}` }]);
  expect((await visit('/media/lights/rotten.txt')).status).toBeGreaterThanOrEqual(500);
  expect(await placed.copiesOf(asset.id)).toEqual(['offsite null damaged']);
  await placed.bucket.setFaults([]);
  const { items } = await placed.api('GET', '/stores');
  await placed.api('POST', `/stores/${items[1].id}/audit`, { mode: 'list' });
  await placed.server.workUntilIdle();
  expect((await visit('/media/lights/rotten.txt')).bytes.toString()).toBe('as it was');
});

test('they stay for the days that a placement gives them, and as long as somebody asked for them', async () => {
  const asset = await placed.addFile('/days', 'week.txt');
  await placed.place('/days', { stores: ['offsite'], keepLocal: 7 });
  await placed.settle();
  await leaveInTime();
  await age(6);
  await leaveInTime();
  expect(isHere(asset)).toBe(true);
  await age(1);
  await leaveInTime();
  expect(isHere(asset)).toBe(false);

  expect(await change('fetch', 'offsite', [asset.id])).toMatchObject({ state: 'done', done: 1 });
  expect(isHere(asset)).toBe(true);
  await age(30);
  await leaveInTime();
  expect(isHere(asset)).toBe(true);
  expect(await change('drop', 'server', [asset.id])).toMatchObject({ state: 'done', done: 1 });
  expect(isHere(asset)).toBe(false);
});

test('neither copy is dropped when it is the last good one, whichever goes first', async () => {
  const asset = await placed.addFile('/last', 'last.txt');
  await change('add', 'offsite', [asset.id]);
  await change('drop', 'server', [asset.id]);
  expect(await placed.copiesOf(asset.id)).toEqual(['offsite null stored']);
  expect(await change('drop', 'offsite', [asset.id])).toMatchObject({ skipped: 1 });
  expect(await placed.copiesOf(asset.id)).toEqual(['offsite null stored']);
  expect((await visit('/media/last/last.txt')).status).toBe(200);
});

test('what somebody deleted on the disk does not count as a good copy when the other one is dropped', async () => {
  const asset = await placed.addFile('/behind', 'back.txt', 'behind our back');
  await change('add', 'offsite', [asset.id]);
  await rm(placed.server.store.localPath(asset.sha256));
  expect(await change('drop', 'offsite', [asset.id])).toMatchObject({ skipped: 1 });
  expect((await visit('/media/behind/back.txt')).bytes.toString()).toBe('behind our back');
});

test('a process that dies while a file leaves, before that is committed, leaves it where it was', async () => {
  const asset = await placed.addFile('/dies', 'half.txt', 'half gone');
  await change('add', 'offsite', [asset.id]);
  const real = placed.server.store;
  const dying = new Proxy(real, {
    get: (_target, name) =>
      name === 'quarantine'
        ? async (sha256: string) => {
            await real.quarantine(sha256);
            throw new Error('It died here');
          }
        : // biome-ignore lint/suspicious/noExplicitAny: whatever is asked is passed on
          ((real as any)[name]?.bind?.(real) ?? (real as any)[name]),
  });
  await expect(leaveHome({ ...tools(), store: dying }, Number(asset.id))).rejects.toThrow('It died here');
  expect(await placed.copiesOf(asset.id)).toEqual(['offsite null stored', 'server null stored']);
  // The cleanup knows that it is wanted here.
  await sweepBlobs({ ...tools(), store: real }, { minAgeHours: 0 });
  expect(isHere(asset)).toBe(true);
  expect(await change('drop', 'offsite', [asset.id])).toMatchObject({ done: 1 });
  expect((await visit('/media/dies/half.txt')).bytes.toString()).toBe('half gone');
});

test('both dropped at once, again and again: one good copy is left every time', async () => {
  const ids: string[] = [];
  for (let n = 0; n < 12; n += 1) ids.push((await placed.addFile('/race', `${n}.txt`)).id);
  for (let round = 0; round < 3; round += 1) {
    await change('add', 'offsite', ids);
    await change('fetch', 'offsite', ids);
    const drop = (store: string) => placed.api('POST', '/copies', { select: { ids }, store, action: 'drop' });
    await Promise.all([drop('offsite'), drop('server')]);
    await Promise.all([placed.server.workUntilIdle(), placed.server.workUntilIdle()]);
    for (const id of ids) {
      const { name } = await placed.api('GET', `/assets/${id}`);
      expect(await placed.copiesOf(id), name).not.toEqual([]);
      expect((await visit(`/media/race/${name}`)).bytes.toString()).toBe(`The bytes of /race/${name}`);
    }
  }
});

test('the same bytes in two folders: each keeps what it needs, also when the other is purged', async () => {
  const one = await placed.addFile('/lights', 'twin.txt', 'the same bytes');
  const two = await placed.addFile('/twins', 'twin.txt', 'the same bytes');
  await placed.settle();
  // Another folder keeps its files here.
  expect(isHere(one)).toBe(true);
  await placed.place('/twins', { stores: [], keepLocal: true });
  await placed.api('POST', '/assets/bulk', { select: { ids: [two.id] }, action: 'bin' });
  await placed.server.workUntilIdle();
  await placed.api('POST', '/assets/bulk', { select: { ids: [two.id] }, action: 'purge' });
  await placed.settle();
  await leaveInTime();
  expect(isHere(one)).toBe(false);

  // The copy of the one is the last of the other's bytes.
  const three = await placed.addFile('/lights/inner', 'twin.txt', 'the same bytes');
  await placed.server.workUntilIdle();
  await placed.api('POST', '/assets/bulk', { select: { ids: [one.id] }, action: 'bin' });
  await placed.server.workUntilIdle();
  await placed.api('POST', '/assets/bulk', { select: { ids: [one.id] }, action: 'purge' });
  await placed.server.workUntilIdle();
  await sweepCopies(placed.tools, placed.server.services.log);
  expect((await visit('/media/lights/inner/twin.txt')).bytes.toString()).toBe('the same bytes');
  expect(three.sha256).toBe(one.sha256);
});

test('a file that leaves while the same bytes arrive is there for the newcomer', async () => {
  const asset = await placed.addFile('/arrive', 'a.txt', 'arriving again');
  await change('add', 'offsite', [asset.id]);
  for (let round = 0; round < 6; round += 1) {
    await change('fetch', 'offsite', [asset.id]);
    const [, second] = await Promise.all([
      change('drop', 'server', [asset.id]),
      placed.addFile('/arrive/again', `${round}.txt`, 'arriving again'),
    ]);
    expect((await visit(`/media/arrive/again/${second.name}`)).bytes.toString()).toBe('arriving again');
  }
});

test('counts of the home store and of copies agree with the records', async () => {
  for (const check of placed.server.house.plugged.counts.filter(({ isSlow }) => !isSlow))
    expect(await placed.server.db.transaction((tx) => check.find(tx)), check.name).toEqual([]);
});
