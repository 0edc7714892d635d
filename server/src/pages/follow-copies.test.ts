import { mkdir, mkdtemp, readFile, rm, stat, utimes, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, expect, test, vi } from 'vitest';
import { sweepCopies } from '../copies/sweep.js';
import { openPlaced, type Placed, small } from '../testing/placed.js';
import { followCopies } from './follow-copies.js';

const PUBLIC = 'https://media.skerry.example/public';

let allowed: string;
let placed: Placed;
let sites = 0;
let site: string;
let store: string;
beforeAll(async () => {
  allowed = await mkdtemp(join(tmpdir(), 'uniferum-follow-'));
  placed = await openPlaced({ UNIFERUM_SOURCE_DIRS: allowed });
  store = await placed.addStore('public', { publicUrl: 'https://media.skerry.example' });
  await placed.addStore('closed');
});
afterAll(async () => {
  await placed.close();
  await rm(allowed, { recursive: true, force: true });
});
beforeEach(async () => {
  sites += 1;
  site = join(allowed, `site-${sites}`);
  await mkdir(site);
});

const LED = { stores: ['public'], serveFrom: 'public', rewritePages: true };
const write = (path: string, text: string) => writeFile(join(site, path), text);
const read = (path: string) => readFile(join(site, path), 'utf8');
async function addSource(writable = true): Promise<string> {
  const settings = { path: site, url: 'https://site.example/', writable };
  const { id } = await placed.api('POST', '/sources', {
    kind: 'folder',
    name: `Site ${sites}${writable ? '' : ' fixed'}`,
    settings,
  });
  await index(id);
  return id;
}
async function index(source: string): Promise<void> {
  await placed.api('POST', `/sources/${source}/index`, {});
  await placed.server.workUntilIdle();
}
/** Places what is queued, and lets pages follow. */
async function follow(): Promise<void> {
  await placed.settle();
  await followCopies(placed.server.db);
  await placed.server.workUntilIdle();
}
const usesOf = async (id: string) => (await placed.api('GET', `/assets/${id}/uses`)).items;
async function keyOf(id: string, rendition: string | null = null): Promise<string> {
  const { items } = await placed.api('GET', `/assets/${id}/copies`);
  return items.find(
    (copy: { store: string; rendition: string | null; state: string; current: boolean }) =>
      copy.store === 'public' && copy.rendition === rendition && copy.state === 'stored',
  )?.key;
}
const addressOf = async (id: string, rendition: string | null = null) =>
  `${PUBLIC}/${await keyOf(id, rendition)}`;

test('pages are given the addresses of a store, and the media addresses again once a placement says so', async () => {
  await placed.api('POST', '/recipes', small('led', '/led-1'));
  const dusk = await placed.addPicture('/led-1', 'dusk.jpg', 1);
  const other = await placed.addFile('/elsewhere-1', 'notes.txt');
  await placed.server.workUntilIdle();
  const folder = (await placed.api('GET', '/folders?within=/led-1')).items.find(
    ({ path }: { path: string }) => path === '/led-1',
  );
  await placed.api('PUT', `/folders/${folder.id}/access`, { publicMetadata: 'all' });
  const mediaUrl = placed.server.config.mediaUrl;
  const page = (original: string, rendition: string) =>
    `<p>é</p><img src="${original}" alt=x><a href='/media/elsewhere-1/notes.txt'>n</a>\n<img srcset="${rendition} 2x">`;
  await write('a.html', page('/media/led-1/dusk.jpg', '/media/led-1/dusk~led.jpg'));
  await write('b.md', '![x](/media/led-1/dusk.jpg)');
  await write('c.html', '<img src=/media/elsewhere-1/notes.txt>');
  const source = await addSource();
  const before = await stat(join(site, 'c.html'));

  await placed.place('/led-1', LED);
  await follow();
  const [original, rendition] = [await addressOf(dusk.id), await addressOf(dusk.id, 'led')];
  expect(await read('a.html')).toBe(page(original, rendition));
  expect(await read('b.md')).toBe(`![x](${original})`);
  expect((await stat(join(site, 'c.html'))).mtimeMs).toBe(before.mtimeMs);
  // They are uses all the same, and nothing is broken.
  expect((await usesOf(dusk.id)).map((use: { address: string }) => use.address).sort()).toEqual(
    [original, rendition, original].sort(),
  );
  expect(
    (await usesOf(dusk.id)).filter((use: { recipe: string | null }) => use.recipe === 'led'),
  ).toHaveLength(1);
  expect(await usesOf(other.id)).toHaveLength(2);
  expect((await placed.api('GET', `/sources/${source}`)).broken).toBe(0);

  await placed.place('/led-1', { ...LED, rewritePages: false });
  await follow();
  expect(await read('a.html')).toBe(
    page(`${mediaUrl}/media/led-1/dusk.jpg`, `${mediaUrl}/media/led-1/dusk~led.jpg`),
  );
  // Nothing changes without a reason.
  const [{ total }] = [await placed.api('GET', '/runs?limit=1')];
  await placed.place('/led-1', { ...LED, rewritePages: false });
  await follow();
  const kinds = (await placed.api('GET', '/runs?limit=20')).items
    .slice(0, (await placed.api('GET', '/runs?limit=1')).total - total)
    .map(({ kind }: { kind: string }) => kind);
  expect(kinds).not.toContain('page-follow');
});

test('a file that is replaced has another address on pages', async () => {
  const file = await placed.addFile('/led-2', 'tide.txt', 'high');
  await write('a.html', '<a href="/media/led-2/tide.txt">t</a>');
  await addSource();
  await placed.place('/led-2', LED);
  await follow();
  const first = await addressOf(file.id);
  expect(await read('a.html')).toContain(first);
  const form = new FormData();
  form.append('file', new Blob(['low']), 'tide.txt');
  await placed.server.call('PUT', `/api/v1/assets/${file.id}/content`, { body: form });
  await follow();
  const { items } = await placed.api('GET', `/assets/${file.id}/copies`);
  const second = items.find(
    ({ store, version }: { store: string; version: number }) => store === 'public' && version === 2,
  );
  expect(await read('a.html')).toBe(`<a href="${PUBLIC}/${second.key}">t</a>`);
  expect(await usesOf(file.id)).toHaveLength(1);
});

test('an object that is dropped stays as long as a page leads to it', async () => {
  const file = await placed.addFile('/led-10', 'tide.txt', 'high and low');
  await write('a.html', '<a href="/media/led-10/tide.txt">t</a>');
  await addSource();
  await placed.place('/led-10', LED);
  await follow();
  const key = await keyOf(file.id);
  expect(await read('a.html')).toContain(key);
  // A page that nobody may write leads there, too.
  site = join(allowed, `fixed-${sites}`);
  await mkdir(site);
  await write('old.html', `<a href="${PUBLIC}/${key}">t</a>`);
  const fixed = await addSource(false);
  await placed.place('/led-10', { stores: [] });
  await placed.api('POST', '/copies', { select: { ids: [file.id] }, store: 'public', action: 'drop' });
  await follow();
  site = join(allowed, `site-${sites}`);
  expect(await read('a.html')).toContain('/media/led-10/tide.txt');
  const sweep = () => sweepCopies(placed.tools, placed.server.services.log);
  await sweep();
  expect(await placed.keysIn('public')).toContain(key);
  expect((await placed.api('GET', `/assets/${file.id}/copies`)).items).toContainEqual(
    expect.objectContaining({ store: 'public', state: 'removing' }),
  );
  const [item] = (await placed.api('GET', '/runs?limit=20')).items.filter(
    ({ kind }: { kind: string }) => kind === 'change-copies',
  );
  expect((await placed.api('GET', `/runs/${item.id}/items`)).items[0].note).toContain(
    'pages still lead to it',
  );

  site = join(allowed, `fixed-${sites}`);
  await write('old.html', 'gone');
  await utimes(join(site, 'old.html'), 1, 1);
  await index(fixed);
  await sweep();
  expect(await placed.keysIn('public')).not.toContain(key);
});

test('an original that is published without its metadata is shown from here, its renditions from the store', async () => {
  await placed.api('POST', '/recipes', small('held', '/led-11'));
  const dusk = await placed.addPicture('/led-11', 'dusk.jpg', 5);
  await placed.server.workUntilIdle();
  await write('a.html', '<img src="/media/led-11/dusk.jpg"><img src="/media/led-11/dusk~held.jpg">');
  await addSource();
  await placed.place('/led-11', LED);
  await follow();
  expect(await read('a.html')).toBe(
    `<img src="/media/led-11/dusk.jpg"><img src="${await addressOf(dusk.id, 'held')}">`,
  );
});

test('a page that is written later is given them when it is indexed, and a read-only source never is', async () => {
  const file = await placed.addFile('/led-3', 'a.txt');
  await placed.place('/led-3', LED);
  await follow();
  await write('early.html', '<p>');
  const source = await addSource();
  await write('late.html', '<a href="/media/led-3/a.txt?v=1">a</a>');
  await index(source);
  await follow();
  expect(await read('late.html')).toContain(await addressOf(file.id));

  site = join(allowed, `fixed-${sites}`);
  await mkdir(site);
  await write('a.html', '<a href="/media/led-3/a.txt">a</a>');
  await addSource(false);
  await follow();
  expect(await read('a.html')).toBe('<a href="/media/led-3/a.txt">a</a>');
});

test('what becomes private leaves the pages and the store, whoever still leads to it', async () => {
  const file = await placed.addFile('/led-4', 'paid.txt');
  await write('a.html', '<a href="/media/led-4/paid.txt">a</a>');
  await addSource();
  await placed.place('/led-4', LED);
  await follow();
  const key = await keyOf(file.id);
  expect(await read('a.html')).toContain(key);
  await placed.api('PATCH', `/assets/${file.id}`, { visibility: 'private' });
  // Even before the page was rewritten: who may not read it must not.
  await placed.settle();
  expect(await placed.keysIn('public')).not.toContain(key);
  await follow();
  expect(await read('a.html')).toBe(`<a href="${placed.server.config.mediaUrl}/media/led-4/paid.txt">a</a>`);
});

test('a store that is given another base address takes the pages along, and the old one is still known', async () => {
  const file = await placed.addFile('/led-5', 'a.txt');
  await write('a.html', '<a href="/media/led-5/a.txt">a</a>');
  await addSource();
  await placed.place('/led-5', LED);
  await follow();
  const key = await keyOf(file.id);
  await placed.api('PATCH', `/stores/${store}`, { publicUrl: 'https://cdn.skerry.example' });
  try {
    await follow();
    expect(await read('a.html')).toBe(`<a href="https://cdn.skerry.example/public/${key}">a</a>`);
    await write('b.html', `<a href="//media.skerry.example/public/${key}#x">a</a>`);
    await index((await placed.api('GET', '/sources')).items.at(-1).id);
    await follow();
    expect(await usesOf(file.id)).toHaveLength(2);
    expect(await read('b.html')).toBe(`<a href="//cdn.skerry.example/public/${key}#x">a</a>`);
  } finally {
    await placed.api('PATCH', `/stores/${store}`, { publicUrl: null });
  }
});

test('a damaged copy is no address for pages, until it is repaired', async () => {
  const file = await placed.addFile('/led-6', 'a.txt');
  await write('a.html', '<a href="/media/led-6/a.txt">a</a>');
  await addSource();
  await placed.place('/led-6', LED);
  await follow();
  const key = await keyOf(file.id);
  const bucket = placed.bucket.store({ prefix: 'public/' });
  await bucket.delete(key);
  bucket.close();
  await placed.api('POST', `/stores/${store}/audit`, { mode: 'list' });
  await follow();
  expect(await read('a.html')).toContain('/media/led-6/a.txt');
  await placed.api('POST', `/stores/${store}/repair`, { reasons: ['missing'] });
  await follow();
  expect(await read('a.html')).toContain(key);
});

test('a key that nothing is known of is a broken reference', async () => {
  await write('a.html', `<img src="${PUBLIC}/lights/gone.1abc-0123456789ab.jpg">`);
  const source = await addSource();
  expect((await placed.api('GET', `/sources/${source}`)).broken).toBe(1);
});

test('a document that a killed worker had written is read again, so that nothing is left unknown', async () => {
  const file = await placed.addFile('/led-7', 'a.txt');
  await write('a.html', '<a href="/media/led-7/a.txt">a</a>');
  await addSource();
  await placed.place('/led-7', LED);
  await placed.settle();
  await followCopies(placed.server.db);
  // It wrote the document, and died before it could say so.
  const address = await addressOf(file.id);
  await write('a.html', `<a href="${address}">a</a>`);
  await utimes(join(site, 'a.html'), 5, 5);
  await placed.server.workUntilIdle();
  expect((await usesOf(file.id)).map((use: { address: string }) => use.address)).toEqual([address]);
});

test('two servers that follow at once queue every document once', async () => {
  const files = await Promise.all([1, 2, 3, 4, 5].map((n) => placed.addFile('/led-8', `${n}.txt`)));
  for (const n of [1, 2, 3, 4, 5]) await write(`${n}.html`, `<a href="/media/led-8/${n}.txt">a</a>`);
  await addSource();
  await placed.place('/led-8', LED);
  await placed.settle();
  await Promise.all([followCopies(placed.server.db), followCopies(placed.server.db)]);
  await placed.server.workUntilIdle();
  for (const [n, file] of files.entries())
    expect(await read(`${n + 1}.html`)).toBe(`<a href="${await addressOf(file.id)}">a</a>`);
  const [run] = (await placed.api('GET', '/runs?limit=1')).items;
  expect(run).toMatchObject({ kind: 'page-follow', state: 'done', total: 5, done: 5 });
});

test('a document that somebody changes meanwhile is left alone, and followed once it is indexed', async () => {
  const file = await placed.addFile('/led-9', 'a.txt');
  await write('a.html', '<a href="/media/led-9/a.txt">a</a>');
  const source = await addSource();
  await placed.place('/led-9', LED);
  await placed.settle();
  await followCopies(placed.server.db);
  const plan = vi.spyOn(placed.server.processes.inspector, 'planRewrites');
  plan.mockImplementationOnce(async (documents, rules) => {
    const planned = await placed.server.processes.inspector.planRewrites(documents, rules);
    await write('a.html', '<a href="/media/led-9/a.txt">somebody else</a>');
    return planned;
  });
  await placed.server.workUntilIdle();
  plan.mockRestore();
  expect(await read('a.html')).toBe('<a href="/media/led-9/a.txt">somebody else</a>');
  const [run] = (await placed.api('GET', '/runs?limit=1')).items;
  expect(run).toMatchObject({ kind: 'page-follow', failed: 1 });
  await index(source);
  await follow();
  expect(await read('a.html')).toBe(`<a href="${await addressOf(file.id)}">somebody else</a>`);
});

test('a page kept here leads visitors straight to the store, and an editor to this server', async () => {
  await placed.api('POST', '/recipes', small('kept', '/led-12'));
  const dusk = await placed.addPicture('/led-12', 'dusk.jpg', 6);
  const notes = await placed.addFile('/led-12', 'notes.txt');
  await placed.server.workUntilIdle();
  await placed.place('/led-12', LED);
  await follow();
  const body = `<p><img data-asset="${dusk.id}" data-recipe="kept" alt="Dusk"> <a data-asset="${notes.id}">notes</a></p>`;
  const page = await placed.api('POST', '/pages', { title: 'Led', slug: 'led', body, state: 'published' });
  const { html } = await placed.api('GET', '/pages/at?path=/led');
  expect(html).toContain(`src="${await addressOf(dusk.id, 'kept')}"`);
  expect(html).toContain(`href="${await addressOf(notes.id)}"`);
  const seen = (await placed.api('GET', `/pages/${page.id}`)).html;
  expect(seen).toContain('/media/led-12/dusk~kept.jpg');
  expect(seen).not.toContain(PUBLIC);
});

test("pages can't be given addresses without a store to be served from", async () => {
  const { items } = await placed.api('GET', '/folders');
  const { status, body } = await placed.server.call('PUT', `/api/v1/folders/${items[0].id}/placement`, {
    json: { stores: ['public'], rewritePages: true },
  });
  expect([status, body.errors[0].message]).toEqual([400, expect.stringContaining('needs "serveFrom"')]);
});
