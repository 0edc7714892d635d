import { AsyncResource } from 'node:async_hooks';
import { createHash } from 'node:crypto';
import { mkdir, mkdtemp, readFile, rm, symlink, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, expect, test, vi } from 'vitest';
import { ProcessKilledError } from '../../shared/process-task.js';
import { openPlaced, type Placed } from '../../testing/placed.js';
import { followSiteBases } from './place-release.js';
import { sweepSiteFiles } from './sweep.js';

let allowed: string;
let placed: Placed;
let base: string;
let n = 0;
let site: string;
let pages: string;
beforeAll(async () => {
  allowed = await mkdtemp(join(tmpdir(), 'uniferum-assets-'));
  placed = await openPlaced({ UNIFERUM_SOURCE_DIRS: allowed });
  base = `${placed.bucket.endpoint}/open`;
  await placed.addStore('open', { bucket: 'open', publicUrl: base });
  await placed.addStore('closed');
});
afterAll(async () => {
  await placed.close();
  await rm(allowed, { recursive: true, force: true });
});
afterEach(async () => {
  vi.restoreAllMocks();
  await placed.bucket.setFaults([]);
  await placed.bucket.setOrigin('*');
});
beforeEach(async () => {
  n += 1;
  site = join(allowed, `site-${n}`);
  pages = join(allowed, `pages-${n}`);
  await mkdir(site);
  await mkdir(pages);
});

async function write(path: string, text: string | Buffer): Promise<void> {
  const file = join(path.startsWith('/') ? '' : site, path);
  await mkdir(dirname(file), { recursive: true });
  await writeFile(file, text);
}
const urlOf = () => `https://site-${n}.example/assets/`;
const add = (more: object = {}) =>
  placed.api('POST', '/site-assets', {
    ...{ name: `Look ${n}`, folder: site, url: urlOf(), store: 'open', rewritePages: true },
    ...more,
  });
async function addPage(text: string): Promise<string> {
  await writeFile(join(pages, 'index.html'), text);
  const settings = { path: pages, url: `https://site-${n}.example/`, writable: true };
  const { id } = await placed.api('POST', '/sources', { kind: 'folder', name: `Pages ${n}`, settings });
  await placed.api('POST', `/sources/${id}/index`);
  await placed.server.workUntilIdle();
  return id;
}
const readPage = () => readFile(join(pages, 'index.html'), 'utf8');
/** @returns the item of the run */
async function place(id: string) {
  const { run } = await placed.api('POST', `/site-assets/${id}/place`);
  await placed.server.workUntilIdle();
  return (await placed.api('GET', `/runs/${run.id}/items`)).items[0];
}
const get = (id: string) => placed.api('GET', `/site-assets/${id}`);
const fetched = async (url: string) => {
  const response = await fetch(url);
  return { status: response.status, text: await response.text(), headers: response.headers };
};

const LOOK = {
  'css/site.css': '@font-face{src:url(/assets/fonts/lamp.woff2)}\nb{background:url("../img/fog.svg")}',
  'fonts/lamp.woff2': 'no real font',
  'img/fog.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
  'site.js': 'console.log("lamp")',
};
async function writeLook(): Promise<void> {
  for (const [path, text] of Object.entries(LOOK)) await write(path, text);
}

test('a folder is rehearsed and placed, and a page shows the same from there and back', async () => {
  await writeLook();
  for (const other of ['index.php', '.env', 'notes/readme.txt']) await write(other, 'secret');
  const html = '<link rel=stylesheet href="/assets/css/site.css?v=3"><script src=/assets/site.js></script>';
  await addPage(html);
  const { id, release } = await add();
  expect(release).toBeNull();

  const { plan } = await placed.api('POST', `/site-assets/${id}/place?rehearse=true`);
  expect(plan.totals).toMatchObject({ files: 4, changed: 4, edits: 1, missing: 0, others: 2 });
  expect(plan.items.map(({ path, change }: { path: string; change: string }) => [path, change])).toEqual(
    Object.keys(LOOK).map((path) => [path, 'new']),
  );
  expect((await get(id)).release).toBeNull();

  expect(await place(id)).toMatchObject({
    state: 'done',
    note: expect.stringContaining('4 files as release'),
  });
  const now = await get(id);
  expect(now).toMatchObject({ release: plan.release, files: 4, store: 'open' });
  expect(now.releaseUrl).toBe(`${base}/open/site-assets/${id}/${plan.release}/`);
  expect(await readPage()).toBe(
    html
      .replace('/assets/css', `${now.releaseUrl}css`)
      .replace('/assets/site.js', `${now.releaseUrl}site.js`),
  );
  const styles = await fetched(`${now.releaseUrl}css/site.css`);
  expect(styles.text).toBe(LOOK['css/site.css'].replace('/assets/fonts', '../fonts'));
  expect(styles.headers.get('content-type')).toBe('text/css; charset=utf-8');
  expect(styles.headers.get('cache-control')).toBe('public, max-age=31536000, immutable');
  const { items, total } = await placed.api('GET', `/site-assets/${id}/files?limit=2`);
  expect([total, items.length]).toEqual([4, 2]);
  expect(items[0]).toEqual({
    ...{ path: 'css/site.css', url: `${now.releaseUrl}css/site.css`, bytes: styles.text.length },
    mime: 'text/css; charset=utf-8',
    sha256: createHash('sha256').update(styles.text).digest('hex'),
    integrity: `sha384-${createHash('sha384').update(styles.text).digest('base64')}`,
  });
  for (const secret of ['index.php', '.env', 'notes/readme.txt'])
    expect((await fetched(now.releaseUrl + secret)).status).toBeGreaterThanOrEqual(400);
  // Again without a change, nothing is done.
  expect(await place(id)).toMatchObject({ state: 'skipped' });

  const { run } = await placed.api('PATCH', `/site-assets/${id}`, { rewritePages: false });
  expect(run).not.toBeNull();
  await placed.server.workUntilIdle();
  expect(await readPage()).toBe(
    html.replace('/assets/css', `${urlOf()}css`).replace('/assets/site.js', `${urlOf()}site.js`),
  );
});

test('the next release takes the pages along, and the earlier one stays as long as a page leads to it', async () => {
  await writeLook();
  await addPage('<script src="/assets/site.js"></script>');
  const { id } = await add();
  await place(id);
  const first = await get(id);
  await write('site.js', 'console.log("another lamp")');
  await rm(join(site, 'img/fog.svg'));
  const { plan } = await placed.api('POST', `/site-assets/${id}/place?rehearse=true`);
  expect(
    plan.items.filter(({ change }: { change: string }) => change !== 'same').map((item: object) => item),
  ).toEqual([
    expect.objectContaining({ path: 'css/site.css', change: 'changed', missing: ['img/fog.svg'] }),
    expect.objectContaining({ path: 'site.js', change: 'changed' }),
    expect.objectContaining({ path: 'img/fog.svg', change: 'removed' }),
  ]);
  expect((await place(id)).note).toContain('1 missing: img/fog.svg');
  const second = await get(id);
  expect(await readPage()).toBe(`<script src="${second.releaseUrl}site.js"></script>`);
  expect((await fetched(`${second.releaseUrl}site.js`)).text).toContain('another lamp');

  const sweep = () =>
    sweepSiteFiles({ ...placed.server.services, buckets: placed.tools.buckets }, placed.server.services.log, {
      days: 0,
    });
  await placed.server.db.query(
    "UPDATE site_files SET replaced_at = '2026-01-01' WHERE replaced_at IS NOT NULL",
  );
  await writeFile(join(pages, 'old.html'), `<script src="${first.releaseUrl}site.js?x"></script>`);
  const source = (await placed.api('GET', '/sources')).items.find(
    ({ name }: { name: string }) => name === `Pages ${n}`,
  );
  await placed.api('POST', `/sources/${source.id}/index`);
  await placed.server.workUntilIdle();
  expect((await placed.api('GET', `/sources/${source.id}`)).broken).toBe(0);
  expect(await sweep()).toBe(3);
  expect((await fetched(`${first.releaseUrl}site.js`)).status).toBe(200);
  await rm(join(pages, 'old.html'));
  await placed.api('POST', `/sources/${source.id}/index`);
  await placed.server.workUntilIdle();
  expect(await sweep()).toBe(1);
  expect((await fetched(`${first.releaseUrl}site.js`)).status).toBeGreaterThanOrEqual(400);
  expect((await fetched(`${second.releaseUrl}site.js`)).status).toBe(200);
});

test('a store that is given another public address takes the pages along', async () => {
  await writeLook();
  await addPage('<script src="/assets/site.js"></script>');
  const { id } = await add();
  await place(id);
  const { release } = await get(id);
  const store = (await placed.api('GET', '/stores')).items.find(
    ({ name }: { name: string }) => name === 'open',
  );
  const tools = { ...placed.server.services, buckets: placed.tools.buckets };
  await followSiteBases(tools);
  expect((await placed.api('GET', '/runs?limit=1')).items[0].kind).toBe('page-rewrite');
  const { total } = await placed.api('GET', '/runs?limit=1');
  await placed.api('PATCH', `/stores/${store.id}`, { publicUrl: 'https://cdn.skerry.example' });
  try {
    await Promise.all([followSiteBases(tools), followSiteBases(tools)]);
    expect((await placed.api('GET', '/runs?limit=1')).total).toBeLessThanOrEqual(total + 2);
    await placed.server.workUntilIdle();
    expect(await readPage()).toBe(
      `<script src="https://cdn.skerry.example/open/site-assets/${id}/${release}/site.js"></script>`,
    );
  } finally {
    await placed.api('PATCH', `/stores/${store.id}`, { publicUrl: null });
    await placed.api('PATCH', `/site-assets/${id}`, { rewritePages: false });
    await placed.server.workUntilIdle();
  }
});

test('what browsers would refuse leaves the pages as they are, with what to do', async () => {
  await writeLook();
  const html = '<link rel=stylesheet href="/assets/css/site.css">';
  await addPage(html);
  const { id } = await add();
  await placed.bucket.setOrigin(null);
  const refused = await place(id);
  expect(refused).toMatchObject({
    state: 'failed',
    error: expect.stringMatching(
      /fonts\/lamp\.woff2.*Access-Control-Allow-Origin for https:\/\/site-\d+\.example/,
    ),
  });
  expect(await readPage()).toBe(html);
  expect((await get(id)).release).toBeNull();
  // Without pages to rewrite it is only noted; then pages can't be rewritten to it.
  await placed.api('PATCH', `/site-assets/${id}`, { rewritePages: false });
  expect((await place(id)).note).toContain('Browsers would refuse');
  const again = await placed.server.call('PATCH', `/api/v1/site-assets/${id}`, {
    json: { rewritePages: true },
  });
  expect([again.status, again.body.detail]).toEqual([409, expect.stringContaining('Pages stay as they are')]);
  await placed.bucket.setOrigin(`https://site-${n}.example`);
  await placed.api('PATCH', `/site-assets/${id}`, { rewritePages: true });
  await placed.server.workUntilIdle();
  expect(await readPage()).toContain((await get(id)).releaseUrl);
});

test('an audit takes no file of a release for a surplus object', async () => {
  await writeLook();
  const { id } = await add();
  await place(id);
  const store = (await placed.api('GET', '/stores')).items.find(
    ({ name }: { name: string }) => name === 'open',
  );
  await placed.api('POST', `/stores/${store.id}/audit`, { mode: 'list' });
  await placed.server.workUntilIdle();
  const { items } = await placed.api('GET', `/stores/${store.id}/audit?reason=surplus`);
  expect(items).toEqual([]);
});

test('a store that breaks off is tried again from where it was, and pages wait', async () => {
  await writeLook();
  const html = '<script src="/assets/site.js"></script>';
  await addPage(html);
  const { id } = await add();
  await placed.bucket.setFaults([{ kind: 'fail', method: 'PUT', key: 'site.js', times: 3 }]);
  await placed.api('POST', `/site-assets/${id}/place`);
  await placed.server.workUntilIdle();
  const now = await get(id);
  expect(await readPage()).toBe(`<script src="${now.releaseUrl}site.js"></script>`);
  for (const path of Object.keys(LOOK)) expect((await fetched(now.releaseUrl + path)).status, path).toBe(200);
});

test('of two runs at once the later content wins', async () => {
  await writeLook();
  const { id } = await add();
  await placed.api('POST', `/site-assets/${id}/place`);
  await write('site.js', 'console.log("later")');
  await placed.api('POST', `/site-assets/${id}/place`);
  await placed.server.workUntilIdle();
  expect((await fetched(`${(await get(id)).releaseUrl}site.js`)).text).toContain('later');
});

test('it is deleted once no page leads to it, with its files, and its store before not', async () => {
  await writeLook();
  await addPage('<script src="/assets/site.js"></script>');
  const { id } = await add();
  await place(id);
  const { releaseUrl } = await get(id);
  const store = (await placed.api('GET', '/stores')).items.find(
    ({ name }: { name: string }) => name === 'open',
  );
  const refused = await placed.server.call('DELETE', `/api/v1/site-assets/${id}`);
  expect([refused.status, refused.body.detail]).toEqual([409, expect.stringContaining('Pages still lead')]);
  expect((await placed.server.call('DELETE', `/api/v1/stores/${store.id}`)).body.detail).toContain(
    'Site assets',
  );
  await placed.api('PATCH', `/site-assets/${id}`, { rewritePages: false });
  await placed.server.workUntilIdle();
  expect((await placed.server.call('DELETE', `/api/v1/site-assets/${id}`)).status).toBe(204);
  await sweepSiteFiles(
    { ...placed.server.services, buckets: placed.tools.buckets },
    placed.server.services.log,
  );
  expect((await fetched(`${releaseUrl}site.js`)).status).toBeGreaterThanOrEqual(400);
  expect((await placed.server.call('GET', `/api/v1/site-assets/${id}`)).status).toBe(404);
});

test('while pages lead to the store, the address of the site stays', async () => {
  await writeLook();
  const { id } = await add();
  const { status, body } = await placed.server.call('PATCH', `/api/v1/site-assets/${id}`, {
    json: { url: 'https://other.example/' },
  });
  expect([status, body.detail]).toEqual([409, expect.stringContaining('Set "rewritePages" to false first')]);
  await placed.api('PATCH', `/site-assets/${id}`, { rewritePages: false });
  const { siteAssets } = await placed.api('PATCH', `/site-assets/${id}`, { url: 'https://other.example/x' });
  expect(siteAssets).toMatchObject({ url: 'https://other.example/x/', rewritePages: false });
});

test('a link out of the folder is not followed, and one that vanishes meanwhile is left out', async () => {
  await writeLook();
  await write(join(allowed, 'outside.css'), 'secret{}');
  await symlink(join(allowed, 'outside.css'), join(site, 'inside.css'));
  const { id } = await add();
  const { plan } = await placed.api('POST', `/site-assets/${id}/place?rehearse=true`);
  expect(plan.totals).toMatchObject({ files: 4, others: 1 });
});

test.each([
  ['a folder that is not named', { folder: '/etc' }, 409, 'UNIFERUM_SOURCE_DIRS'],
  ['a folder that is not there', { folder: '/nowhere/at/all' }, 409, "can't be found"],
  ['a store that is not there', { store: 'vault' }, 400, 'There is no store "vault"'],
  ['a store that nobody can read', { store: 'closed' }, 409, 'without credentials'],
  ['an address that is none', { url: 'ftp://site.example/' }, 400, 'url'],
])('%s is refused', async (_what, more, status, reason) => {
  await writeLook();
  const json = { name: `Look ${n}`, folder: site, url: urlOf(), store: 'open', ...more };
  const { status: got, body } = await placed.server.call('POST', '/api/v1/site-assets', { json });
  expect([got, body.detail]).toEqual([status, expect.stringContaining(reason)]);
});

test('an empty folder is not placed, and neither is a style sheet of more than 5 MB', async () => {
  const { id } = await add();
  expect(await place(id)).toMatchObject({
    state: 'failed',
    error: expect.stringContaining('has no style sheets'),
  });
  await write('big.css', Buffer.alloc(5_000_001, ' '));
  expect(await place(id)).toMatchObject({ state: 'failed', error: expect.stringContaining('5 MB') });
  await write('big.css', Buffer.alloc(5_000_000, ' '));
  expect(await place(id)).toMatchObject({ state: 'done' });
});

/** Places two releases, the first of which the cleanup may delete, and writes the files of the first again. */
async function placeTwice(): Promise<{ id: string; release: string }> {
  await writeLook();
  const { id } = await add({ rewritePages: false });
  await place(id);
  const { release } = await get(id);
  await write('site.js', 'console.log("another lamp")');
  await place(id);
  await placed.server.db.query(
    "UPDATE site_files SET replaced_at = '2026-01-01' WHERE folder_id = ? AND release_id = ?",
    [id, release],
  );
  await writeLook();
  return { id, release };
}

async function expectWhole(id: string, release: string): Promise<void> {
  const now = await get(id);
  expect(now.release).toBe(release);
  for (const path of Object.keys(LOOK)) expect((await fetched(now.releaseUrl + path)).status, path).toBe(200);
}

/** Does something before each object is deleted. */
function beforeDeleting(work: () => Promise<unknown>): void {
  const open = placed.tools.buckets.open.bind(placed.tools.buckets);
  vi.spyOn(placed.tools.buckets, 'open').mockImplementation(async (...which) => {
    const opened = await open(...which);
    const remove = opened.objects.delete.bind(opened.objects);
    vi.spyOn(opened.objects, 'delete').mockImplementation(async (key) => {
      await work();
      await remove(key);
    });
    return opened;
  });
}
const cleanUp = () =>
  sweepSiteFiles({ ...placed.server.services, buckets: placed.tools.buckets }, placed.server.services.log);

test('a release that is placed again while the cleanup deletes it is whole afterwards', async () => {
  const { id, release } = await placeTwice();
  let isPlaced = false;
  // Another server does it: outside of the transaction of the cleanup.
  const beginPlacing = AsyncResource.bind(() =>
    place(id).then(() => {
      isPlaced = true;
    }),
  );
  const countWaiting = AsyncResource.bind(async () => {
    const waiting =
      "SELECT 1 FROM information_schema.processlist WHERE info LIKE '%FROM site_folders WHERE id = %FOR UPDATE'";
    return ((await placed.server.db.query(waiting))[0] as unknown[]).length;
  });
  let placing: Promise<void> | null = null;
  beforeDeleting(async () => {
    placing ??= beginPlacing();
    await vi.waitFor(async () => expect(isPlaced || (await countWaiting()) > 0).toBe(true), 20_000);
  });
  expect(await cleanUp()).toBe(4);
  await placing;
  await expectWhole(id, release);
});

test('a cleanup that ends in the middle leaves nothing that a release takes for stored', async () => {
  const { id, release } = await placeTwice();
  let left = 2;
  beforeDeleting(async () => {
    if (left === 0) throw new Error('the server was killed');
    left -= 1;
  });
  expect(await cleanUp()).toBe(0);
  vi.restoreAllMocks();
  await place(id);
  await expectWhole(id, release);
  expect(await cleanUp()).toBe(0);
});

test('what is deleted before its files are stored leaves nothing behind', async () => {
  await writeLook();
  const { id } = await add({ rewritePages: false });
  const { inspector } = placed.server.processes;
  const moveStyles = inspector.moveStyles.bind(inspector);
  vi.spyOn(inspector, 'moveStyles').mockImplementation(async (sheet) => {
    await placed.api('DELETE', `/site-assets/${id}`);
    return moveStyles(sheet);
  });
  expect(await place(id)).toMatchObject({ state: 'skipped', note: 'It was deleted.' });
  const [rows] = await placed.server.db.query('SELECT path FROM site_files WHERE folder_id = ?', [id]);
  expect(rows).toEqual([]);
  expect((await fetched(`${base}?list-type=2&prefix=site-assets/${id}/`)).text).not.toContain('<Key>');
});

test('a style sheet that takes too long or too much memory is named, and nothing is placed', async () => {
  await writeLook();
  const { id } = await add();
  vi.spyOn(placed.server.processes.inspector, 'moveStyles').mockRejectedValue(
    new ProcessKilledError('it took more than 20 s'),
  );
  const error = "css/site.css can't be read as a style sheet: it took more than 20 s.";
  const { status, body } = await placed.server.call('POST', `/api/v1/site-assets/${id}/place?rehearse=true`);
  expect([status, body.detail]).toEqual([409, error]);
  expect(await place(id)).toMatchObject({ state: 'failed', error });
});

test.each([
  ['a name of 41 characters', () => ({ name: 'n'.repeat(41) }), 400, 'name'],
  ['a folder with 10,001 files', () => writeMany(10_001), 409, 'more than 10,000 files'],
  ['a path of 501 bytes', () => writePath(501), 409, 'more than 500 bytes'],
  ['a path of 502 bytes in 251 letters', () => writePath(502, 'å'), 409, 'more than 500 bytes'],
])('%s is refused', async (_what, prepare, status, reason) => {
  const more = await prepare();
  const { status: got, body } = await placed.server.call('POST', '/api/v1/site-assets', {
    json: { name: `Look ${n}`, folder: site, url: urlOf(), store: 'open', ...more },
  });
  expect([got, body.detail]).toEqual([status, expect.stringContaining(reason)]);
});

test.each([
  ['a name of 40 characters', () => ({ name: 'n'.repeat(40) })],
  ['a folder with 10,000 files', () => writeMany(10_000)],
  ['a path of 500 bytes', () => writePath(500)],
])('%s is not refused', async (_what, prepare) => {
  expect(await add((await prepare()) ?? {})).toMatchObject({ release: null });
});

async function writeMany(count: number): Promise<void> {
  for (let at = 0; at < count; at += 500)
    await Promise.all(
      Array.from({ length: Math.min(500, count - at) }, (_, k) => writeFile(join(site, `${at + k}.js`), '')),
    );
}

/** Writes a file whose path has so many bytes. */
async function writePath(bytes: number, letter = 'a'): Promise<void> {
  const letters = (count: number) => letter.repeat(count / Buffer.byteLength(letter));
  await write(`${letters(248)}/${letters(bytes - 248 - 1 - 3)}.js`, '');
}
