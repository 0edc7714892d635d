import sharp from 'sharp';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { type Answer, eventually } from '../testing/harness.js';
import { openPlaced, type Placed, small } from '../testing/placed.js';

let placed: Placed;
beforeAll(async () => {
  placed = await openPlaced();
});
afterAll(() => placed.close());

const visit = (url: string, headers: Record<string, string> = {}, method = 'GET'): Promise<Response> =>
  fetch(url, { method, headers, redirect: 'manual' });
const folderId = async (path: string) =>
  (await placed.api('GET', `/folders?within=${path}`)).items.find(
    (one: { path: string }) => one.path === path,
  ).id;
const setAccess = async (path: string, access: object) =>
  placed.api('PUT', `/folders/${await folderId(path)}/access`, access);
/** The copy in the home store: a disk, or a bucket. */
const atHome = () => `${placed.server.store.name} null stored`;
const withKey = async () => ({ Authorization: `Bearer ${await placed.server.key()}` });

test('files of a private folder have no address for visitors, by any door', async () => {
  await placed.api('POST', '/recipes', small('card', '/sold'));
  const asset = await placed.addPicture('/sold/prints', 'storm.jpg', 5);
  await placed.server.workUntilIdle();
  const card = `${placed.server.url}/media/sold/prints/storm~card.jpg`;
  const { url: made } = await placed.api('POST', `/assets/${asset.id}/address`, {
    steps: [{ op: 'fit', mode: 'inside', width: 50 }],
    output: { format: 'jpeg', quality: 80 },
  });
  const doors = [
    asset.url,
    card,
    made,
    `${placed.server.url}/iiif/3/${asset.id}`,
    `${placed.server.url}/iiif/3/${asset.id}/info.json`,
    `${placed.server.url}/iiif/3/${asset.id}/full/max/0/default.jpg`,
  ];
  for (const door of doors) expect([200, 303], door).toContain((await visit(door)).status);
  await setAccess('/sold', { visibility: 'private', publicMetadata: null });
  await eventually(async () => (await visit(asset.url)).status === 404);
  for (const door of doors) expect((await visit(door)).status, door).toBe(404);
  for (const door of doors) {
    const answer = await visit(door, await withKey());
    expect([200, 303], door).toContain(answer.status);
    if (answer.status === 200) expect(answer.headers.get('cache-control'), door).toBe('private, no-store');
  }
  // A key without the right to read is a visitor.
  const key = await placed.server.key(['runs:read']);
  expect((await visit(asset.url, { Authorization: `Bearer ${key}` })).status).toBe(404);
});

test("a file's own setting counts more than its folder's, at once", async () => {
  const open = await placed.addFile('/sold', 'free.txt');
  expect((await visit(open.url)).status).toBe(404);
  const changed = await placed.api('PATCH', `/assets/${open.id}`, { visibility: 'public' });
  expect(changed.visibility).toBe('public');
  expect((await visit(open.url)).status).toBe(200);
  await placed.api('PATCH', `/assets/${open.id}`, { visibility: null });
  expect((await visit(open.url)).status).toBe(404);
});

test('access set without a visibility leaves it as it is', async () => {
  await setAccess('/sold', { publicMetadata: 'none' });
  expect(await placed.api('GET', `/folders/${await folderId('/sold')}/access`)).toEqual({
    own: { visibility: 'private', publicMetadata: 'none' },
    effective: {
      visibility: { value: 'private', from: '/sold' },
      publicMetadata: { value: 'none', from: '/sold' },
    },
  });
});

const link = (id: string, body: object = {}) => placed.api('POST', `/assets/${id}/links`, body);

test('a link gives a private file to anybody, as often as it says, and no other file', async () => {
  const asset = await placed.addFile('/sold', 'guide.txt', 'The keeper’s guide');
  const other = await placed.addFile('/sold', 'other.txt');
  const { url, ...made } = await link(asset.id, { maxDownloads: 2 });
  expect(made).toMatchObject({ rendition: null, maxDownloads: 2, downloads: 0 });
  const answer = await visit(url);
  expect(answer.status).toBe(200);
  expect(await answer.text()).toBe('The keeper’s guide');
  expect(answer.headers.get('cache-control')).toBe('private, no-store');
  const { search } = new URL(url);
  expect((await visit(other.url + search)).status).toBe(404);
  expect((await visit(`${asset.url}?link=guessed`)).status).toBe(404);
  expect((await visit(url, {}, 'HEAD')).status).toBe(200);
  expect((await visit(url)).status).toBe(200);
  expect((await visit(url)).status).toBe(404);
  expect((await visit(url, {}, 'HEAD')).status).toBe(404);
  expect((await placed.api('GET', `/assets/${asset.id}/links`)).items).toMatchObject([{ downloads: 2 }]);
});

test("many at once don't get more than a link allows", async () => {
  const asset = await placed.addFile('/sold', 'rare.txt');
  const { url } = await link(asset.id, { maxDownloads: 3 });
  const answers = await Promise.all(Array.from({ length: 20 }, () => visit(url)));
  expect(answers.filter(({ status }) => status === 200)).toHaveLength(3);
});

test('the parts of one download count once, up to twice the file; a part alone counts too', async () => {
  const asset = await placed.addFile('/sold', 'film.txt', 'abcdefghij');
  const part = (url: string, range: string, more = {}) => visit(url, { Range: range, ...more });
  const { url } = await link(asset.id, { maxDownloads: 1 });
  expect((await part(url, 'bytes=0-3')).status).toBe(206);
  const rest = await part(url, 'bytes=4-');
  expect([rest.status, await rest.text()]).toEqual([206, 'efghij']);
  // Ten of twenty bytes are left.
  expect((await part(url, 'bytes=1-')).status).toBe(206);
  expect((await part(url, 'bytes=0-1')).status).toBe(404);
  expect((await part(url, 'bytes=9-')).status).toBe(206);
  expect((await part(url, 'bytes=9-')).status).toBe(404);
  const second = await link(asset.id, { maxDownloads: 1 });
  expect((await part(second.url, 'bytes=5-')).status).toBe(206);
  expect((await placed.api('GET', `/assets/${asset.id}/links`)).items).toMatchObject([
    { id: second.id, downloads: 1 },
    { downloads: 1 },
  ]);
});

test('what looks like a part and is answered with the whole counts as the whole', async () => {
  const asset = await placed.addFile('/sold', 'whole.txt', 'abcdefghij');
  for (const headers of [
    { Range: 'bytes=00-' },
    { Range: 'bytes=0-' },
    { Range: 'bytes=5-6,0-' },
    { Range: 'lines=5-' },
    { Range: 'bytes=5-', 'If-Range': '"another"' },
  ]) {
    const { url } = await link(asset.id, { maxDownloads: 1 });
    expect((await visit(url, { Range: 'bytes=5-6' })).status).toBe(206);
    expect((await visit(url, headers)).status, JSON.stringify(headers)).toBe(404);
  }
});

test('a renamed private file keeps its links, and its old address says nothing to others', async () => {
  const asset = await placed.addFile('/sold', 'old-name.txt', 'renamed');
  const { url } = await link(asset.id, { maxDownloads: 1 });
  await placed.api('PATCH', `/assets/${asset.id}`, { name: 'secret-name.txt' });
  expect((await visit(asset.url)).status).toBe(404);
  expect((await visit(`${asset.url}?link=guessed`)).status).toBe(404);
  const led = await visit(url);
  expect([led.status, led.headers.get('cache-control')]).toEqual([308, 'private, no-store']);
  expect(await (await fetch(url)).text()).toBe('renamed');
  expect((await fetch(url)).status).toBe(404);
  expect((await visit(asset.url, await withKey())).status).toBe(308);
});

test('a link to a rendition is for that rendition, ends when it is taken back, and when it expires', async () => {
  const asset = await placed.addPicture('/sold/prints', 'calm.jpg', 6);
  await placed.server.workUntilIdle();
  const { url, id } = await link(asset.id, { rendition: 'card' });
  const picture = await visit(url);
  expect((await sharp(Buffer.from(await picture.arrayBuffer())).metadata()).width).toBe(200);
  expect((await visit(asset.url + new URL(url).search)).status).toBe(404);
  await placed.server.call('DELETE', `/api/v1/assets/${asset.id}/links/${id}`);
  expect((await visit(url)).status).toBe(404);
  const short = await link(asset.id, { expiresIn: 1 });
  expect((await visit(short.url)).status).toBe(200);
  await eventually(async () => (await visit(short.url)).status === 404);
  const missing: Answer = await placed.server.call('POST', `/api/v1/assets/${asset.id}/links`, {
    json: { rendition: 'unknown' },
  });
  expect(missing.status).toBe(404);
});

test('an address that names the bytes may be cached for ever, unless the file is private', async () => {
  const asset = await placed.addFile('/open', 'plan.txt');
  const cacheOf = async (url: string, headers = {}) =>
    (await visit(url, headers)).headers.get('cache-control');
  expect(await cacheOf(`${asset.url}?v=${asset.sha256.slice(0, 12)}`)).toBe(
    'public, max-age=31536000, immutable',
  );
  const short = 'public, max-age=60, stale-while-revalidate=600';
  expect(await cacheOf(`${asset.url}?v=${asset.sha256.slice(0, 11)}`)).toBe(short);
  expect(await cacheOf(`${asset.url}?v=000000000000`)).toBe(short);
  expect(await cacheOf(asset.url)).toBe(short);
  const secret = await placed.addFile('/sold', 'plan.txt', 'secret');
  const digest = secret.sha256.slice(0, 12);
  expect(await cacheOf(`${secret.url}?v=${digest}`, await withKey())).toBe('private, no-store');
});

test('visitors are led to the store, once it has the file; those with a key are not', async () => {
  await placed.addStore('public', { bucket: 'open', publicUrl: `${placed.bucket.endpoint}/open` });
  const asset = await placed.addFile('/lights', 'tide table.txt', 'High water at six');
  await placed.place('/lights', { stores: ['public'], serveFrom: 'public' });
  await eventually(async () => (await visit(asset.url)).status === 200);
  await placed.settle();
  const { items } = await placed.api('GET', `/assets/${asset.id}/copies`);
  const copy = items.find(({ store }: { store: string }) => store === 'public');
  expect(copy).toMatchObject({ access: 'public', state: 'stored' });
  await eventually(async () => (await visit(asset.url)).status === 302);
  const led = await visit(asset.url);
  expect(led.headers.get('location')).toBe(copy.url);
  const there = await fetch(copy.url);
  expect(await there.text()).toBe('High water at six');
  expect(there.headers.get('cache-control')).toBe('public, max-age=31536000, immutable');
  expect(there.headers.get('content-type')).toBe('text/plain');
  expect((await visit(asset.url, await withKey())).status).toBe(200);

  // Replaced: the new bytes are served from here until the store has them too.
  await placed.server.call('PUT', `/api/v1/assets/${asset.id}/content`, { body: 'High water at seven' });
  expect(await (await visit(asset.url)).text()).toBe('High water at seven');
  await placed.settle();
  const next = await visit(asset.url);
  expect(next.status).toBe(302);
  expect(await (await fetch(next.headers.get('location') ?? '')).text()).toBe('High water at seven');
});

test('an original with metadata that its folder withholds is served from here, and no answer says where its copy is', async () => {
  await placed.api('POST', '/recipes', small('shown', '/lights/withheld'));
  const asset = await placed.addPicture('/lights/withheld', 'gps.jpg', 9);
  await placed.settle();
  expect(await placed.copiesOf(asset.id)).toContain('public null stored');
  const urls = async () => {
    const { items } = await placed.api('GET', `/assets/${asset.id}/copies`);
    const { copies } = await placed.api('GET', `/assets/${asset.id}`);
    const ofStore = ({ store }: { store: string }) => store === 'public';
    const toUrl = ({ rendition, url }: { rendition?: string; url: string | null }) => [
      rendition ?? null,
      url !== null,
    ];
    return [...items.filter(ofStore).map(toUrl), ...copies.filter(ofStore).map(toUrl)];
  };
  expect(await urls()).toEqual([
    [null, false],
    ['shown', true],
    [null, false],
  ]);
  await eventually(
    async () => (await visit(`${placed.server.url}/media/lights/withheld/gps~shown.jpg`)).status === 302,
  );
  expect((await visit(asset.url)).status).toBe(200);
  await setAccess('/lights/withheld', { publicMetadata: 'all' });
  expect(await urls()).toEqual([
    [null, true],
    ['shown', true],
    [null, true],
  ]);
  await eventually(async () => (await visit(asset.url)).status === 302);
});

test('private files are not copied to a store that anybody can read, and are given out of a private one by link', async () => {
  const asset = await placed.addFile('/lights/sold', 'chart.txt', 'The chart');
  await setAccess('/lights/sold', { visibility: 'private', publicMetadata: null });
  await placed.settle();
  expect(await placed.copiesOf(asset.id)).toEqual([atHome()]);
  await placed.addStore('vault');
  await placed.place('/lights/sold', { stores: ['vault'], serveFrom: 'vault' });
  await placed.settle();
  expect(await placed.copiesOf(asset.id)).toEqual([atHome(), 'vault null stored']);
  await eventually(async () => (await visit(asset.url)).status === 404);
  const { url } = await link(asset.id);
  await eventually(async () => (await visit(url)).status === 302);
  const led = await visit(url);
  expect(led.headers.get('cache-control')).toBe('private, no-store');
  const signed = await fetch(led.headers.get('location') ?? '');
  expect(await signed.text()).toBe('The chart');
  expect((await fetch((led.headers.get('location') ?? '').split('?')[0] ?? '')).status).toBe(403);
});

test('what becomes private is taken out of a store that anybody can read, whose address they may know', async () => {
  const one = await placed.addFile('/lights/shown', 'one.txt', 'shown once');
  const two = await placed.addFile('/byhand', 'two.txt', 'shown by hand');
  await placed.settle();
  await placed.api('POST', '/copies', { select: { ids: [two.id] }, store: 'public', action: 'add' });
  await placed.settle();
  const addressOf = async (id: string) =>
    (await placed.api('GET', `/assets/${id}/copies`)).items.find(
      ({ store }: { store: string }) => store === 'public',
    )?.url;
  const [first, second] = [await addressOf(one.id), await addressOf(two.id)];
  expect((await fetch(first)).status).toBe(200);
  expect((await fetch(second)).status).toBe(200);
  await setAccess('/lights/shown', { visibility: 'private', publicMetadata: null });
  await placed.api('PATCH', `/assets/${two.id}`, { visibility: 'private' });
  await placed.settle();
  expect((await fetch(first)).status).toBe(404);
  expect((await fetch(second)).status).toBe(404);
  // Public again, the folder places it again.
  await setAccess('/lights/shown', { visibility: 'public', publicMetadata: null });
  await placed.settle();
  expect((await fetch(await addressOf(one.id))).status).toBe(200);
});

test('a private file is taken out of a store that becomes one that anybody can read', async () => {
  const { id } = (await placed.api('GET', '/stores')).items.find(
    ({ name }: { name: string }) => name === 'vault',
  );
  const hidden = await placed.addFile('/lights/sold', 'hidden.txt', 'hidden');
  const own = await placed.addFile('/byhand', 'own.txt', 'hidden by itself');
  await placed.api('PATCH', `/assets/${own.id}`, { visibility: 'private' });
  await placed.api('POST', '/copies', { select: { ids: [own.id] }, store: 'vault', action: 'add' });
  await placed.settle();
  for (const asset of [hidden, own]) expect(await placed.copiesOf(asset.id)).toContain('vault null stored');
  await placed.api('PATCH', `/stores/${id}`, { publicUrl: 'https://media.skerry.example' });
  await placed.settle();
  for (const asset of [hidden, own]) expect(await placed.copiesOf(asset.id)).toEqual([atHome()]);
});
