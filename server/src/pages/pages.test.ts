import { mkdir, mkdtemp, rename, rm, symlink, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { selectOne } from '../shared/database.js';
import { api } from '../testing/calls.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { indexWatched } from './watch-sources.js';

let allowed: string;
let server: TestServer;
beforeAll(async () => {
  allowed = await mkdtemp(join(tmpdir(), 'uniferum-pages-'));
  server = await startTestServer({ env: { UNIFERUM_SOURCE_DIRS: allowed } });
  await server.call('POST', `${api}/recipes`, {
    json: { name: 'wide', title: 'Wide', steps: [{ op: 'fit', width: 40, mode: 'inside' }] },
  });
});
afterAll(async () => {
  await server.close();
  await rm(allowed, { recursive: true, force: true });
});

let site: string;
let sites = 0;
beforeEach(async () => {
  sites += 1;
  site = join(allowed, `site-${sites}`);
  await mkdir(site, { recursive: true });
});

const write = async (path: string, text: string | Buffer) => {
  await mkdir(dirname(join(site, path)), { recursive: true });
  await writeFile(join(site, path), text);
};
const call = async (method: 'GET' | 'POST' | 'PATCH' | 'DELETE', path: string, json?: object) =>
  server.call(method, `${api}${path}`, json && { json });
const get = async (path: string) => (await call('GET', path)).body;

async function addSource(more: object = {}): Promise<string> {
  const { status, body } = await call('POST', '/sources', {
    name: `Site ${sites}`,
    settings: { path: site, url: `https://site-${sites}.example/` },
    ...more,
  });
  expect(status).toBe(201);
  return body.id;
}
/** Indexes a source. @returns its run, which has ended */
async function index(source: string) {
  const { status, body } = await call('POST', `/sources/${source}/index`);
  expect(status).toBe(202);
  await server.workUntilIdle();
  return get(`/runs/${body.run.id}`);
}
/** Sends a small file. */
async function send(folder: string, name: string): Promise<string> {
  const { body } = await server.call('POST', `${api}/assets`, {
    body: form(folder, [{ name, data: Buffer.from(`${folder}/${name}`) }]),
  });
  return body.id;
}
const folder = () => `/f${sites}`;
const usesOf = async (id: string) =>
  (await get(`/assets/${id}/uses`)).items.map(
    ({ document, attribute, recipe }: { document: string; attribute: string; recipe: string | null }) =>
      `${document} ${attribute}${recipe ? ` ${recipe}` : ''}`,
  );
const brokenOf = async (source: string) =>
  (await get(`/references?source=${source}`)).items.map(
    ({ address, reason }: { address: string; reason: string }) => `${address} ${reason}`,
  );

describe('a folder of documents', () => {
  test('is indexed: every use of an asset is found, with its place', async () => {
    const [a, b] = [await send(folder(), 'a.txt'), await send(folder(), 'b.txt')];
    const media = `${server.url}/media${folder()}`;
    await write('index.html', `<title>Home</title><a href="${media}/a.txt"><img src="${media}/a~wide.jpg">`);
    await write(
      'news/one.md',
      `# One\n\n[b](${media}/b.txt) [b](/media${folder()}/b.txt) <img src=/media${folder()}/a.txt>`,
    );
    await write('style.css', `p{background:url(${media}/b~wide.webp)}`);
    await write('feed.xml', `<rss><enclosure url="${media}/a.txt"/></rss>`);
    await write('note.txt', media);
    const source = await addSource();
    const run = await index(source);
    expect(run).toMatchObject({ state: 'done', total: 4, done: 4, kind: 'page-index' });
    expect((await usesOf(a)).sort()).toEqual([
      'feed.xml enclosure url',
      'index.html a href',
      'index.html img src wide',
      'news/one.md img src',
    ]);
    expect((await usesOf(b)).sort()).toEqual([
      'news/one.md markdown link',
      'news/one.md markdown link',
      'style.css css url() wide',
    ]);
    const [use] = (await get(`/assets/${a}/uses`)).items.filter(
      ({ document, recipe }: { document: string; recipe: string | null }) =>
        document === 'index.html' && !recipe,
    );
    expect(use).toEqual({
      source,
      document: 'index.html',
      title: 'Home',
      url: `https://site-${sites}.example/`,
      address: `${media}/a.txt`,
      attribute: 'a href',
      recipe: null,
      version: null,
      offset: '<title>Home</title><a href="'.length,
    });
    expect((await get(`/assets/${a}`)).uses).toBe(4);
    expect(await get(`/sources/${source}`)).toMatchObject({
      documents: 4,
      references: 7,
      broken: 0,
      writable: false,
      indexedAt: expect.any(String),
    });
  });

  test('that is watched is indexed by itself when something in it changes, and only then', async () => {
    await write('one.html', 'x');
    const settings = { path: site, url: null, watched: true };
    const source = await addSource({ settings });
    const watch = async () => {
      const { services, processes } = server;
      const begun = await indexWatched({ ...services, inspector: processes.inspector });
      await server.workUntilIdle();
      return begun;
    };
    expect(await watch()).toBe(1);
    expect((await get(`/sources/${source}`)).documents).toBe(1);
    expect(await watch()).toBe(0);
    await write('two.html', 'x');
    await rename(site, `${site}-away`);
    expect(await watch()).toBe(0);
    await rename(`${site}-away`, site);
    expect(await watch()).toBe(1);
    expect((await get(`/sources/${source}`)).documents).toBe(2);
    await call('PATCH', `/sources/${source}`, { settings: { ...settings, watched: false } });
    await write('three.html', 'x');
    expect(await watch()).toBe(0);
  });

  test('is read again only where it has changed; what is gone is forgotten', async () => {
    const a = await send(folder(), 'a.txt');
    const link = `<a href="${server.url}/media${folder()}/a.txt">`;
    for (const name of ['one', 'two', 'three']) await write(`${name}.html`, link);
    const source = await addSource();
    expect((await index(source)).total).toBe(3);
    expect((await index(source)).total).toBe(0);
    await write('two.html', `${link}${link}`);
    await write('four.html', link);
    await rm(join(site, 'three.html'));
    await rename(join(site, 'one.html'), join(site, 'renamed.html'));
    expect((await index(source)).total).toBe(5);
    expect((await usesOf(a)).sort()).toEqual([
      'four.html a href',
      'renamed.html a href',
      'two.html a href',
      'two.html a href',
    ]);
    expect((await get(`/assets/${a}`)).uses).toBe(4);
    expect((await call('DELETE', `/sources/${source}`)).status).toBe(204);
    expect((await get(`/assets/${a}`)).uses).toBe(0);
    expect((await get(`/assets/${a}/uses`)).items).toEqual([]);
  });

  test('of any encoding, however broken, is read as far as it goes', async () => {
    const a = await send(folder(), 'é.txt');
    const address = `${server.url}/media${folder()}/é.txt`;
    await write('utf8.html', `<meta charset=utf-8><a href="${address}">`);
    await write('latin1.html', Buffer.from(`<meta charset=iso-8859-1><a href="${address}">`, 'latin1'));
    await write('utf16.html', Buffer.from(`\ufeff<a href="${address}">`, 'utf16le'));
    await write(
      'odd.html',
      Buffer.concat([Buffer.from([0, 255, 254, 0]), Buffer.from(`<p <a href="${address}">`)]),
    );
    await write('line.html', `${'x'.repeat(10_000_000)}<a href="${address}">`);
    await write('empty.html', '');
    await write('deep.json', `${'['.repeat(200_000)}"${address}"`);
    const source = await addSource();
    expect((await index(source)).state).toBe('done');
    expect((await usesOf(a)).sort()).toEqual([
      'deep.json json',
      'latin1.html a href',
      'line.html a href',
      'utf16.html a href',
      'utf8.html a href',
    ]);
  });

  test("is left by no link, and tools' folders are not read", async () => {
    const outside = await mkdtemp(join(tmpdir(), 'uniferum-outside-'));
    await writeFile(join(outside, 'secret.html'), '<a href=/media/x.txt>');
    await symlink(outside, join(site, 'linked'));
    await symlink(join(outside, 'secret.html'), join(site, 'secret.html'));
    await write('node_modules/x/readme.md', '[x](/media/x.txt)');
    await write('.git/x.html', '<a href=/media/x.txt>');
    await write('a.html', '<a href=/media/y.txt>');
    const source = await addSource();
    await index(source);
    expect(await brokenOf(source)).toEqual(['/media/y.txt unknown']);
    await rm(outside, { recursive: true });
  });
});

describe('a broken reference', () => {
  test('is one to what is not there; those to elsewhere are none', async () => {
    await send(folder(), 'a.txt');
    await write(
      'a.html',
      `<a href="/media${folder()}/missing.txt"><img src="/media${folder()}/a~none.jpg"><img src="https://else.example/media/x.jpg">
       <img src="b.jpg"><a href="/media/%ff.txt"><a href="/api/v1/me"><a href="http://[bad/media/x.jpg">`,
    );
    const source = await addSource();
    await index(source);
    expect((await brokenOf(source)).sort()).toEqual([
      `/media${folder()}/a~none.jpg no-recipe`,
      `/media${folder()}/missing.txt unknown`,
    ]);
    expect((await get(`/references?source=${source}&state=outside`)).total).toBe(5);
    expect((await get(`/sources/${source}`)).broken).toBe(2);
    const { pages } = await get('/flow');
    expect(pages.broken).toBe((await get('/references')).total);
    expect(pages.documents).toBeGreaterThan(0);
  });

  test('leads somewhere once the file arrives, is renamed or moved to its address', async () => {
    const names = ['arrives.txt', 'renamed.txt', 'moved.txt', 'never.txt'];
    await write('a.html', names.map((name) => `<a href="/media${folder()}/to/${name}">`).join(''));
    const source = await addSource();
    await index(source);
    expect(await brokenOf(source)).toHaveLength(4);
    const arrived = await send(`${folder()}/to`, 'arrives.txt');
    const renamed = await send(`${folder()}/to`, 'other.txt');
    await call('PATCH', `/assets/${renamed}`, { name: 'renamed.txt' });
    const moved = await send(`${folder()}/from`, 'moved.txt');
    await call('PATCH', `/assets/${moved}`, { folder: `${folder()}/to` });
    expect(await brokenOf(source)).toEqual([`/media${folder()}/to/never.txt unknown`]);
    for (const id of [arrived, renamed, moved]) expect((await get(`/assets/${id}`)).uses).toBe(1);
  });

  test('is none while an old address redirects', async () => {
    const id = await send(`${folder()}/old`, 'a.txt');
    await call('PATCH', `/assets/${id}`, { name: 'b.txt' });
    const folders = (await get(`/folders?within=${folder()}`)).items;
    const old = folders.find(({ path }: { path: string }) => path.endsWith('/old'));
    await call('PATCH', `/folders/${old.id}`, { name: 'new' });
    await write(
      'a.html',
      `<a href="/media${folder()}/old/a.txt"><a href="/media${folder()}/old/b.txt"><img src="/media${folder()}/old/a~wide.jpg">`,
    );
    const source = await addSource();
    await index(source);
    expect(await brokenOf(source)).toEqual([]);
    expect((await get(`/assets/${id}`)).uses).toBe(3);
  });
});

describe('an asset that is used', () => {
  async function used() {
    const id = await send(folder(), 'a.txt');
    await write('a.html', `<a href="/media${folder()}/a.txt">`);
    const source = await addSource();
    await index(source);
    return { id, source };
  }

  test('goes to the bin only with force; the reference is then broken, until it is restored', async () => {
    const { id, source } = await used();
    const refused = await call('DELETE', `/assets/${id}`);
    expect(refused.status).toBe(409);
    expect(refused.body.errors).toMatchObject([
      { code: 'in-use', message: expect.stringContaining('used in 1 place') },
    ]);
    expect((await call('DELETE', `/assets/${id}?force=true`)).status).toBe(204);
    expect(await brokenOf(source)).toEqual([`/media${folder()}/a.txt in-bin`]);
    await call('POST', `/assets/${id}/restore`);
    expect(await brokenOf(source)).toEqual([]);
  });

  test('is left out by a bulk deletion, with the reason', async () => {
    const { id } = await used();
    const free = await send(folder(), 'free.txt');
    const { body } = await call('POST', '/assets/bulk', { select: { ids: [id, free] }, action: 'bin' });
    await server.workUntilIdle();
    expect((await get(`/runs/${body.run.id}`)).failed + (await get(`/runs/${body.run.id}`)).skipped).toBe(1);
    expect((await call('GET', `/assets/${id}`)).status).toBe(200);
    expect((await call('GET', `/assets/${free}`)).status).toBe(404);
  });

  test('is named by the rehearsal of a bulk deletion, and goes with force', async () => {
    const { id, source } = await used();
    const free = await send(folder(), 'free.txt');
    const request = { select: { ids: [id, free] }, action: 'bin' };
    const rehearse = async (more: object = {}) =>
      (await call('POST', '/assets/bulk?rehearse=true', { ...request, ...more })).body.plan;
    expect(await rehearse()).toMatchObject({
      blocked: [{ asset: id, name: 'a.txt', message: expect.stringContaining('used in 1 place') }],
      totals: { selected: 2, changed: 1, blocked: 1 },
    });
    expect(await rehearse({ force: true })).toMatchObject({
      blocked: [],
      totals: { changed: 2, blocked: 0 },
    });
    await call('POST', '/assets/bulk', { ...request, force: true });
    await server.workUntilIdle();
    expect((await call('GET', `/assets/${id}`)).status).toBe(404);
    expect(await brokenOf(source)).toEqual([`/media${folder()}/a.txt in-bin`]);
  });

  test('that is deleted for good leaves a broken reference, and nothing else', async () => {
    const { id, source } = await used();
    await call('DELETE', `/assets/${id}?force=true`);
    await call('POST', '/bin/empty', {});
    await server.workUntilIdle();
    expect(await brokenOf(source)).toEqual([`/media${folder()}/a.txt unknown`]);
    expect(await selectOne(server.db, 'SELECT uses FROM asset_uses WHERE asset_id = ?', [id])).toBeNull();
  });

  test('is found by how often', async () => {
    const { id } = await used();
    const other = await send(folder(), 'other.txt');
    const find = async (q: string) =>
      (await get(`/assets?folder=${folder()}&q=${encodeURIComponent(q)}`)).items.map(
        (one: { id: string }) => one.id,
      );
    expect(await find('used:yes')).toEqual([id]);
    expect(await find('used:1')).toEqual([id]);
    expect(await find('used:no')).toEqual([other]);
    expect(await find('used>1')).toEqual([]);
    expect((await find('used<2')).sort()).toEqual([id, other].sort());
    expect(await find('not used:no kind:document')).toEqual([id]);
  });
});

test('surplus renditions say where pages show them', async () => {
  const { body: asset } = await server.call('POST', `${api}/assets`, {
    body: form(folder(), [{ name: 'a.jpg', data: await photo(80, 60) }]),
  });
  await server.call('POST', `${api}/recipes`, {
    json: {
      name: 'going',
      title: 'Going',
      folders: [folder()],
      steps: [{ op: 'fit', width: 20, mode: 'inside' }],
    },
  });
  await server.workUntilIdle();
  const { renditions } = await get(`/assets/${asset.id}`);
  const { url } = renditions.find(({ recipe }: { recipe: string }) => recipe === 'going');
  await write('a.html', `<img src="${url}"><img src="${url}"><img src="/media${folder()}/a~wide.jpg">`);
  await index(await addSource());
  await server.call('DELETE', `${api}/recipes/going`);
  await server.workUntilIdle();
  const { items } = await get('/renditions/surplus?recipe=going');
  expect(items).toMatchObject([{ asset: { id: asset.id }, uses: 2 }]);
  const { plan } = (await call('POST', '/renditions/surplus/remove?rehearse=true', { recipes: ['going'] }))
    .body;
  expect(plan).toMatchObject({ items: [{ uses: 2 }], totals: { items: 1, used: 1 } });
});

describe('a source', () => {
  test('is named once, changed and listed; what is no source is refused', async () => {
    const source = await addSource({ name: 'Guide' });
    expect((await call('POST', '/sources', { name: 'Guide', settings: { path: site } })).status).toBe(409);
    const other = await addSource({ name: 'Other' });
    expect((await call('PATCH', `/sources/${other}`, { name: 'Guide' })).status).toBe(409);
    const changed = await call('PATCH', `/sources/${source}`, {
      settings: { path: site, url: 'https://a.example' },
    });
    expect(changed.body).toMatchObject({
      name: 'Guide',
      settings: { path: site, url: 'https://a.example/' },
    });
    const names = (await get('/sources')).items.map(({ name }: { name: string }) => name);
    expect(names).toEqual([...names].sort());
    expect(names).toContain('Guide');
    for (const wrong of [
      {},
      { name: '', settings: { path: site } },
      { name: 'x', settings: {} },
      { name: 'x', kind: 'site', settings: { path: site } },
    ])
      expect((await call('POST', '/sources', wrong)).status).toBe(400);
    for (const path of ['/sources/999999', '/assets/999999/uses'])
      expect((await call('GET', path)).status).toBe(404);
    expect((await call('POST', '/sources/999999/index')).status).toBe(404);
  });

  test('is tested step by step, and says at the first that fails what to do', async () => {
    const steps = async (path: string) => {
      const source = await addSource({ name: `Tested ${path}`, settings: { path } });
      return (await call('POST', `/sources/${source}/test`)).body.steps;
    };
    expect((await steps(site)).map(({ ok }: { ok: boolean }) => ok)).toEqual([true, true, true, true]);
    expect((await steps(join(site, 'missing'))).at(-1)).toMatchObject({ name: 'found', ok: false });
    expect((await steps('relative')).at(-1)).toMatchObject({ name: 'found', ok: false });
    expect((await steps(tmpdir())).at(-1)).toEqual({
      name: 'allowed',
      ok: false,
      message: expect.stringContaining('UNIFERUM_SOURCE_DIRS'),
    });
    await symlink(tmpdir(), join(site, 'way-out'));
    expect((await steps(join(site, 'way-out'))).at(-1)).toMatchObject({ name: 'allowed', ok: false });
  });

  test('that is a file, and one with names and addresses beyond every limit, do no harm', async () => {
    await write('file.html', 'x');
    const file = await addSource({ settings: { path: join(site, 'file.html') } });
    expect((await call('POST', `/sources/${file}/index`)).status).toBe(409);
    const long = 'x'.repeat(200);
    const recipe = `/media/a~${'r'.repeat(300)}.jpg`;
    await write(
      `${[long, long, long, long, long, long].join('/')}/deep.html`,
      `<a href="/media/${'y'.repeat(5000)}"><img src="${recipe}"><img src="/media/a~b.1w.${'e'.repeat(300)}">`,
    );
    const source = await addSource({ name: `Long ${sites}` });
    expect((await index(source)).state).toBe('done');
    expect((await get(`/sources/${source}`)).documents).toBe(2);
    expect((await get(`/sources/${source}`)).references).toBe(3);
  });

  test('is closed to strangers and to keys without the right', async () => {
    const readOnly = await server.key(['library:read']);
    for (const [method, path] of [
      ['GET', '/sources'],
      ['POST', '/sources'],
      ['GET', '/references'],
      ['POST', '/rewrites'],
      ['POST', '/references/fix'],
    ] as const) {
      expect(
        (await server.call(method, `${api}${path}`, { key: null, ...(method === 'POST' && { json: {} }) }))
          .status,
        path,
      ).toBe(401);
      expect(
        (
          await server.call(method, `${api}${path}`, {
            key: readOnly,
            ...(method === 'POST' && { json: {} }),
          })
        ).status,
        path,
      ).toBe(403);
    }
  });

  test('that may not be read is not indexed, and says why', async () => {
    const source = await addSource({ settings: { path: tmpdir() } });
    const { status, body } = await call('POST', `/sources/${source}/index`);
    expect([status, body.detail]).toEqual([409, expect.stringContaining('UNIFERUM_SOURCE_DIRS')]);
  });
});
