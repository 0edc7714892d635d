import { afterAll, afterEach, beforeAll, expect, test } from 'vitest';
import { select } from '../shared/database.js';
import { BUCKET_SECRET } from '../testing/bucket.js';
import { openPlaced, type Placed, small } from '../testing/placed.js';
import { sampleStores, sweepHistory } from './history.js';
import { sweepCopies } from './sweep.js';

let placed: Placed;
beforeAll(async () => {
  placed = await openPlaced();
  await placed.addStore('offsite');
});
afterAll(() => placed.close());
afterEach(() => placed.bucket.setFaults([]));

const add = (select: object, action: 'add' | 'drop' = 'add', store = 'offsite') =>
  placed.api('POST', '/copies', { select, store, action });

test('what is in a folder is placed, and what arrives there follows by itself', async () => {
  const first = await placed.addFile('/lights', 'a b+é~.txt');
  const elsewhere = await placed.addFile('/plans', 'plan.txt');
  await placed.place('/lights', { stores: ['offsite'] });
  await placed.server.workUntilIdle();
  expect(await placed.copiesOf(first.id)).toEqual(['offsite null stored', 'server null stored']);
  expect(await placed.copiesOf(elsewhere.id)).toEqual(['server null stored']);

  const second = await placed.addFile('/lights/inner', 'later.txt');
  await placed.settle();
  const { items } = await placed.api('GET', `/assets/${second.id}/copies`);
  const copy = items.find(({ store }: { store: string }) => store === 'offsite');
  expect(copy).toMatchObject({
    ...{ rendition: null, version: 1, state: 'stored', bucket: 'lights', region: 'farrow-1' },
    ...{ access: 'private', url: null, error: null },
  });
  expect(copy.key).toMatch(/^lights\/inner\/later\.[0-9a-z]+-[0-9a-f]{12}\.txt$/);
  expect(await placed.keysIn()).toContain(copy.key);
  const { body } = await placed.server.call('GET', `/api/v1/assets/${second.id}`);
  expect(body.copies).toEqual([
    expect.objectContaining({ store: 'server', state: 'stored' }),
    { store: 'offsite', state: 'stored', key: copy.key, url: null },
  ]);
});

test('a placement is rehearsed: what it lacks, how long that takes from what was measured, and what it costs', async () => {
  const inner = await placed.addFile('/estimate/inner', 'b.txt', 'bb');
  await placed.addFile('/estimate', 'a.txt', 'a');
  await placed.api('POST', '/folders', { path: '/estimate-2' });
  await placed.addFile('/estimate-2', 'c.txt', 'ccc');
  const { items } = await placed.api('GET', '/folders?within=/estimate');
  const { id } = items.find(({ path }: { path: string }) => path === '/estimate');
  const rehearse = async (stores: string[], prices = '') =>
    (await placed.api('PUT', `/folders/${id}/placement?rehearse=true${prices}`, { stores })).plan;
  const plan = await rehearse(['offsite'], '&gigabyteMonth=1000000&thousandRequests=500');
  expect(plan).toMatchObject({ files: 2, bytes: 3, cost: { once: 1, perMonth: 0.003 } });
  expect(plan.seconds).toBeGreaterThan(0);
  expect(await rehearse([])).toMatchObject({ files: 0, bytes: 0, cost: null });
  await add({ ids: [inner.id] });
  await placed.server.workUntilIdle();
  expect(await rehearse(['offsite'])).toMatchObject({ files: 1, bytes: 1 });
  expect((await placed.api('GET', `/folders/${id}/placement`)).own).toBeNull();
});

test('renditions are copied once they are made, and made anew; what they replace goes after a while', async () => {
  await placed.api('POST', '/recipes', small('card', '/lights/pictures'));
  const asset = await placed.addPicture('/lights/pictures', 'dusk.jpg', 3);
  await placed.settle();
  expect(await placed.copiesOf(asset.id)).toEqual([
    'offsite card stored',
    'offsite null stored',
    'server card stored',
    'server null stored',
  ]);
  const keysOf = async () =>
    (await placed.keysIn()).filter((key) => key.startsWith('lights/pictures/dusk~card.'));
  const [before] = await keysOf();
  await placed.api('PUT', '/recipes/card', {
    ...small('card', '/lights/pictures'),
    name: undefined,
    output: { format: 'jpeg', quality: 40 },
  });
  await placed.api('POST', '/recipes/rebuild', { recipes: ['card'], only: 'outdated' });
  await placed.settle();
  expect(await keysOf()).toHaveLength(2);
  expect(await keysOf()).toContain(before);

  const { log } = placed.server.services;
  expect(await sweepCopies(placed.tools, log)).toEqual({ discarded: 0, deleted: 0 });
  expect(await sweepCopies(placed.tools, log, { staleDays: 0 })).toEqual({ discarded: 1, deleted: 1 });
  expect(await keysOf()).toHaveLength(1);
  expect(await keysOf()).not.toContain(before);
});

test('copies are added and dropped by hand, rehearsed first; the last good one stays', async () => {
  await placed.addStore('vault');
  const asset = await placed.addFile('/hand', 'one.txt');
  const select = { ids: [asset.id] };
  const rehearsed = await placed.api('POST', '/copies?rehearse=true', {
    select,
    store: 'vault',
    action: 'add',
  });
  expect(rehearsed.plan).toEqual({
    items: [{ asset: asset.id, name: 'one.txt', folder: '/hand', files: 1, bytes: asset.bytes, note: null }],
    totals: { assets: 1, files: 1, bytes: asset.bytes, refused: 0 },
  });
  expect(await placed.copiesOf(asset.id)).toEqual(['server null stored']);
  await add(select, 'add', 'vault');
  await placed.server.workUntilIdle();
  expect(await placed.copiesOf(asset.id)).toEqual(['server null stored', 'vault null stored']);
  const [key] = await placed.keysIn('vault');
  expect(key).toMatch(/^hand\/one\./);
  // Once more does nothing.
  await add(select, 'add', 'vault');
  await placed.server.workUntilIdle();
  expect(await placed.keysIn('vault')).toEqual([key]);

  await add(select, 'drop', 'vault');
  await placed.server.workUntilIdle();
  expect(await placed.copiesOf(asset.id)).toEqual(['server null stored']);
  expect(await placed.keysIn('vault')).toEqual([]);
  await add(select, 'add', 'vault');
  await placed.server.workUntilIdle();
  // A key is never used twice, so that a deletion that arrives late deletes nothing that is wanted.
  expect(await placed.keysIn('vault')).not.toEqual([key]);
});

test('a store whose copies are all dropped can be deleted, with what was replaced before', async () => {
  const id = await placed.addStore('passing');
  const asset = await placed.addFile('/passing', 'a.txt', 'before');
  await add({ ids: [asset.id] }, 'add', 'passing');
  await placed.server.workUntilIdle();
  await placed.server.call('PUT', `/api/v1/assets/${asset.id}/content`, { body: 'after' });
  await placed.api('POST', '/recipes', small('pass', '/passing'));
  const picture = await placed.addPicture('/passing', 'p.jpg', 4);
  await placed.server.workUntilIdle();
  await add({ ids: [picture.id] }, 'add', 'passing');
  await placed.server.workUntilIdle();
  await placed.api('PUT', '/recipes/pass', {
    ...small('pass', '/passing'),
    name: undefined,
    output: { format: 'png' },
  });
  await placed.api('POST', '/recipes/rebuild', { recipes: ['pass'], only: 'outdated' });
  await placed.settle();
  await add({ q: '', folder: '/passing', deep: true }, 'drop', 'passing');
  await placed.server.workUntilIdle();
  expect(await placed.keysIn('passing')).toEqual([]);
  await placed.api('DELETE', `/stores/${id}`);
});

test('a purged asset leaves nothing in the bucket', async () => {
  const asset = await placed.addFile('/lights', 'short-lived.txt');
  await placed.settle();
  const own = async () => (await placed.keysIn()).filter((key) => key.includes('short-lived'));
  expect(await own()).toHaveLength(1);
  await placed.api('DELETE', `/assets/${asset.id}`);
  expect(await own()).toHaveLength(1);
  await placed.api('POST', '/assets/bulk', { select: { ids: [asset.id] }, action: 'purge' });
  await placed.settle();
  await sweepCopies(placed.tools, placed.server.services.log);
  expect(await own()).toEqual([]);
});

test("two stores can't be in one place, where each would take the other's copies for unknown files", async () => {
  const connect = async (name: string, prefix: string) => {
    const settings = { ...placed.bucket.settings, prefix };
    return (await placed.api('POST', '/connections', { name, settings, secret: BUCKET_SECRET })).id;
  };
  for (const prefix of ['', 'off', 'offsite/', 'offsite/inner/']) {
    const connection = await connect(`Overlap ${prefix}`, prefix);
    const { status, body } = await placed.server.call('POST', '/api/v1/stores', {
      json: { name: 'overlap', connection },
    });
    // A prefix always ends with a slash, so that "off" is no part of "offsite/".
    expect(status, prefix).toBe(prefix === 'off' ? 201 : 409);
    if (status === 409) expect(body.detail, prefix).toMatch(/The store "\w+" is in the same bucket/);
  }
});

test('what stores hold and what is sent to them is kept as a history', async () => {
  await placed.addFile('/history', 'a.txt', 'five!');
  await placed.place('/history', { stores: ['offsite'] });
  await placed.settle();
  const { db, store } = placed.server;
  const stores = (await placed.api('GET', '/stores')).items;
  const offsite = stores.find(({ name }: { name: string }) => name === 'offsite');
  const of = async (id: string, days: number) =>
    (await placed.api('GET', `/stores/${id}/history?days=${days}`)).items;
  // What is held now needs no sample.
  expect((await of(offsite.id, 1)).at(-1).bytes).toBe(offsite.bytes);
  await sampleStores(db, store.name);
  const now = (await of(offsite.id, 1)).at(-1);
  expect([now.bytes, now.copies]).toEqual([offsite.bytes, offsite.copies]);
  const sent = async (days: number) =>
    (await of(offsite.id, days)).reduce((sum: number, period: { sent: number }) => sum + period.sent, 0);
  const before = await sent(1);
  expect(before).toBeGreaterThanOrEqual(5);
  await placed.addFile('/history', 'b.txt', 'seven!!');
  await placed.settle();
  expect(await sent(1)).toBe(before + 7);
  expect((await of('home', 1)).at(-1).bytes).toBe(stores[0].bytes + 7);

  // Of long ago, one sample of each day is kept, with all that was sent on it.
  const ago = (days: number, hour: number) => {
    const at = new Date(Date.now() - days * 86_400_000);
    at.setUTCHours(hour, 0, 0, 0);
    return at;
  };
  const rows = [
    [offsite.id, ago(100, 8), 10, 1, 3],
    [offsite.id, ago(100, 9), 20, 2, 4],
    [offsite.id, ago(100, 10), null, null, 5],
    [offsite.id, ago(99, 10), null, null, 6],
    [offsite.id, ago(500, 10), 1, 1, 1],
  ];
  await db.query('INSERT INTO store_history (store_id, at, bytes, copies, sent) VALUES ?', [rows]);
  await sweepHistory(db);
  await sweepHistory(db);
  const kept = await select(
    db,
    'SELECT at, bytes, copies, sent FROM store_history WHERE at < NOW() - INTERVAL 50 DAY ORDER BY at',
  );
  expect(kept).toEqual([
    { at: ago(100, 9), bytes: 20, copies: 2, sent: 12 },
    { at: ago(99, 10), bytes: null, copies: null, sent: 6 },
  ]);
});

test.each([
  ['offsite', '0', 400],
  ['offsite', '2', 400],
  ['offsite', 'week', 400],
  ['home', '366', 400],
  ['999999', '1', 404],
])('the history of %s over %s days is none', async (name, days, status) => {
  const stores = (await placed.api('GET', '/stores')).items as { id: string; name: string }[];
  const id = stores.find((one) => one.name === name)?.id ?? name;
  expect((await placed.server.call('GET', `/api/v1/stores/${id}/history?days=${days}`)).status).toBe(status);
});

test('files are found by their copies', async () => {
  await placed.addFile('/found', 'here.txt', 'only here');
  const there = await placed.addFile('/found', 'there.txt', 'also there');
  const find = async (q: string) =>
    (await placed.api('GET', `/assets?folder=/found&sort=name&q=${encodeURIComponent(q)}`)).items.map(
      ({ name }: { name: string }) => name,
    );
  await add({ ids: [there.id] });
  expect(await find('copy:waiting')).toEqual([]);
  await placed.server.workUntilIdle();
  expect(await find('copy:offsite')).toEqual(['there.txt']);
  expect(await find('copy:yes')).toEqual(['there.txt']);
  expect(await find('copy:no')).toEqual(['here.txt']);
  expect(await find('not copy:offsite')).toEqual(['here.txt']);
  expect(await find('copy:nowhere')).toEqual([]);
  expect(await find('copy:server')).toEqual(['here.txt', 'there.txt']);
  // A copy of an earlier version is none of the file as it is.
  const form = new FormData();
  form.append('file', new Blob(['changed']), 'there.txt');
  await placed.server.call('PUT', `/api/v1/assets/${there.id}/content`, { body: form });
  expect(await find('copy:yes')).toEqual([]);
  await placed.server.db.query("UPDATE placed_copies SET state = 'damaged' WHERE asset_id = ?", [there.id]);
  expect(await find('copy:damaged')).toEqual(['there.txt']);
  await placed.server.db.query("UPDATE placed_copies SET state = 'wanted' WHERE asset_id = ?", [there.id]);
  expect(await find('copy:waiting')).toEqual(['there.txt']);
});
