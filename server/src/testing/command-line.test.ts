import { mkdir, mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { createEngine } from '../worker.js';
import { BUCKET_SECRET, startBucket, type TestBucket } from './bucket.js';
import { eventually, photo, startTestServer, type TestServer } from './harness.js';
import { type OutsideSite, startOutsideSite } from './outside-site.js';
import { runProgram } from './program.js';

let server: TestServer;
let site: OutsideSite;
let bucket: TestBucket;
let folder: string;
let key: string;
let engine: ReturnType<typeof createEngine>;
beforeAll(async () => {
  site = await startOutsideSite();
  bucket = await startBucket();
  server = await startTestServer({ env: { UNIFERUM_ALLOWED_HOSTS: `${site.host},${bucket.host}` } });
  key = await server.key();
  folder = await mkdtemp(join(tmpdir(), 'uniferum-cli-'));
  engine = createEngine(server.services, server.house);
  await engine.start();
});
afterAll(async () => {
  await engine.close();
  await rm(folder, { recursive: true, force: true });
  await server.close();
  await bucket.close();
  site.close();
});

const uniferum = (...args: string[]) =>
  runProgram(args, { folder, env: { UNIFERUM_URL: server.url, UNIFERUM_KEY: key } });

async function put(path: string, data: string | Buffer): Promise<void> {
  await mkdir(join(folder, path, '..'), { recursive: true });
  await writeFile(join(folder, path), data);
}

describe('uniferum', () => {
  test('up brings a folder tree in, and says what was refused in its exit code', async () => {
    await put('views/gannet/dusk.jpg', await photo(60, 40));
    await put('views/notes.txt', 'fog');
    await put('views/empty.txt', '');
    const { code, out, err } = await uniferum('up', 'views', '--to', '/cli', '--alt', 'A light');
    expect(code).toBe(1);
    expect(out).toContain(`dusk.jpg  accepted  ${server.url}/media/cli/views/gannet/dusk.jpg`);
    expect(err).toContain('empty.txt  refused  empty.txt is empty');
  });

  test('ls finds, counts and pages; get shows and downloads', async () => {
    const listed = await uniferum('ls', 'kind:image', '--in', '/cli');
    expect([listed.code, listed.err.trim()]).toEqual([0, '1 of 1']);
    const { items } = JSON.parse((await uniferum('--json', 'ls', 'dusk')).out);
    expect(items[0].alt).toBe('A light');
    const shown = await uniferum('get', items[0].id);
    expect(shown.out).toContain('60 × 40');
    await uniferum('get', items[0].id, '--out', 'back.jpg');
    expect(
      (await readFile(join(folder, 'back.jpg'))).equals(
        await readFile(join(folder, 'views/gannet/dusk.jpg')),
      ),
    ).toBe(true);
    expect((await uniferum('ls', '--facets')).out).toContain('kinds  1  image');
  });

  test('set edits one, rehearses and edits many, and takes it back', async () => {
    const { items } = JSON.parse((await uniferum('--json', 'ls', 'notes')).out);
    await uniferum('set', items[0].id, '--title', 'Notes', '--keywords', 'fog, log');
    expect(JSON.parse((await uniferum('--json', 'get', items[0].id)).out)).toMatchObject({
      title: 'Notes',
      keywords: ['fog', 'log'],
    });
    await put('newer.txt', 'a newer note');
    expect((await uniferum('set', items[0].id, '--file', 'newer.txt')).out).toContain('version 2');
    expect((await uniferum('set', items[0].id, '--restore-version', '1')).out).toContain('version 3');
    const rehearsed = await uniferum(
      'set',
      '--filter',
      'title:none',
      '--in',
      '/cli',
      '--title',
      '{words}',
      '--fill',
      '--rehearse',
    );
    expect(rehearsed.err).toContain('1 would change');
    const run = JSON.parse(
      (await uniferum('--json', 'set', '--filter', 'folder:/cli', '--title', '{words}', '--fill')).out,
    );
    expect(run).toMatchObject({ state: 'done', done: 1, skipped: 1 });
    expect(JSON.parse((await uniferum('--json', 'runs', run.id, '--undo', '--wait')).out)).toMatchObject({
      done: 1,
    });
  });

  test('flags of the last release still work, and say what they are called now', async () => {
    const now = await uniferum('ls', 'kind:image', '--in', '/cli');
    const edit = await uniferum(
      'set',
      '--find',
      'name:newer',
      '--within',
      '/cli',
      '--to',
      '/cli',
      '--rehearse',
    );
    expect(edit.err).toMatch(/--find is now --filter\.[\s\S]*--within is now --in\./);
    expect(now.err).not.toContain('is now');
    // It meant where to search in one command, and where to put things in another.
    expect((await uniferum('ls', '--folder', '/cli')).code).toBe(2);
  });

  test('rules shows and rehearses, check judges, and both say so in the exit code', async () => {
    const rehearsed = await uniferum('rules', '/cli/views', '--set', '{"maxBytes":10}', '--rehearse');
    expect([rehearsed.code, rehearsed.out.trim()]).toEqual([
      1,
      '1 of 2 existing files would break the rules.',
    ]);
    await uniferum('rules', '/cli', '--set', '{"deny":["exe"]}');
    expect((await uniferum('rules', '/cli')).out).toContain('"exe"');
    await put('a.exe', 'MZ');
    const checked = await uniferum('check', 'a.exe', 'views/notes.txt', '--to', '/cli');
    expect([checked.code, checked.out.split('\n')[0]]).toEqual([
      1,
      'a.exe  refused  a.exe is a .exe file; /cli denies exe.',
    ]);
  });

  test('access shows what a folder publishes and who reads it, and says so when there is none', async () => {
    const lines = async (...args: string[]) => (await uniferum('access', ...args)).out.trim().split('\n');
    expect(await lines('/cli')).toEqual(['visibility: public (by default)', 'metadata: rights (by default)']);
    await uniferum('access', '/cli', '--metadata', 'none', '--visibility', 'private');
    expect(await lines('/cli/views')).toEqual([
      'visibility: private (from /cli)',
      'metadata: none (from /cli)',
    ]);
    // What isn't named stays.
    await uniferum('access', '/cli', '--metadata', 'inherit');
    expect(await lines('/cli/views')).toEqual([
      'visibility: private (from /cli)',
      'metadata: rights (by default)',
    ]);
    await uniferum('access', '/cli', '--visibility', 'inherit');
    expect((await lines('/cli/views'))[0]).toBe('visibility: public (by default)');
    expect((await uniferum('access', '/nowhere')).code).toBe(5);
  });

  test('stores are added and audited, folders placed in them, copies dropped, and links made', async () => {
    const settings = { endpoint: bucket.endpoint, region: 'farrow-1', bucket: 'lights', accessKey: 'keeper' };
    await put('bucket.json', JSON.stringify({ name: 'Bucket', settings, secret: BUCKET_SECRET }));
    const connection = JSON.parse((await uniferum('connections', '--add', 'bucket.json')).out);
    const { id } = JSON.parse((await uniferum('stores', '--add', 'far', '--connection', connection.id)).out);
    await put('kept.txt', 'kept far away');
    await uniferum('up', 'kept.txt', '--to', '/cli/far');
    expect((await uniferum('placement', '/cli/far')).out.split('\n')[0]).toBe('stores: none (by default)');
    const place = ['placement', '/cli/far', '--in', 'far', '--keep-local', '30'];
    expect((await uniferum(...place, '--rehearse')).out).toContain('1 files, 13 bytes');
    expect((await uniferum(...place)).out.trim().split('\n')).toEqual([
      'stores: far (/cli/far)',
      'served from: here',
      'kept here: for 30 days',
    ]);
    await server.workUntilIdle();
    expect((await uniferum('stores')).out).toMatch(/bucket +far +1 copies +13 bytes/);
    await uniferum('stores', id, '--audit', 'full');
    await server.workUntilIdle();
    expect((await uniferum('stores', id, '--findings')).out.trim()).toBe('0 of 0 findings');
    expect((await uniferum('stores', id, '--repair', '--rehearse')).out).toContain('0 stored again');
    const drop = await uniferum('copies', '', '--drop', 'far', '--in', '/cli/far', '--rehearse');
    expect(drop.out).toContain('1 files of 1 assets');
    expect((await uniferum('copies', '')).code).toBe(2);
    expect((await uniferum('stores', id, '--delete')).code).not.toBe(0);

    const asset = JSON.parse((await uniferum('--json', 'ls', 'kept', '--in', '/cli/far')).out).items[0];
    const made = await uniferum('link', asset.id, '--expires', '60', '--downloads', '1');
    const read = () => fetch(made.out.trim());
    // A file that everybody reads anyway uses no link up.
    expect(await (await read()).text()).toBe('kept far away');
    await uniferum('set', asset.id, '--visibility', 'private');
    expect((await fetch(asset.url)).status).toBe(404);
    expect(await (await read()).text()).toBe('kept far away');
    expect((await read()).status).toBe(404);
  });

  test('site assets are added, rehearsed and placed, and their new addresses listed', async () => {
    const settings = { endpoint: bucket.endpoint, region: 'farrow-1', bucket: 'open', accessKey: 'keeper' };
    const publicUrl = `${bucket.endpoint}/open`;
    const about = { name: 'Open', settings: { ...settings, publicUrl }, secret: BUCKET_SECRET };
    await put('open.json', JSON.stringify(about));
    const connection = JSON.parse((await uniferum('connections', '--add', 'open.json')).out);
    await uniferum('stores', '--add', 'open', '--connection', connection.id);
    const [root = ''] = server.config.sourceDirs;
    await mkdir(join(root, 'look'), { recursive: true });
    await writeFile(join(root, 'look/site.css'), 'a{b:url(/look/fog.svg)}');
    await writeFile(join(root, 'look/fog.svg'), '<svg xmlns="http://www.w3.org/2000/svg"/>');
    const options = [
      '--path',
      join(root, 'look'),
      '--site',
      'https://skerry.example/look/',
      '--store',
      'open',
    ];
    const added = await uniferum('site-assets', '--add', 'Look', ...options);
    expect(added.err).toBe('');
    const id = added.out.trim();
    expect((await uniferum('site-assets')).out).toMatch(/Look +open +never placed +0 files/);
    const rehearsed = (await uniferum('site-assets', id, '--place', '--rehearse')).out.trim().split('\n');
    expect(rehearsed).toEqual([
      expect.stringMatching(/^new +fog\.svg/),
      expect.stringMatching(/^new +site\.css/),
      expect.stringContaining('2 files, 58 bytes; references rewritten in style sheets: 1, missing: 0'),
    ]);
    expect((await uniferum('site-assets', id, '--place')).code).toBe(0);
    const [, styles = ''] = (await uniferum('site-assets', id, '--files')).out.trim().split('\n');
    const [path, address = ''] = styles.split(' ');
    expect(path).toBe('site.css');
    expect(await (await fetch(address)).text()).toBe('a{b:url(fog.svg)}');
    expect(JSON.parse((await uniferum('site-assets', id, '--rewrite-pages', 'yes')).out)).toMatchObject({
      rewritePages: true,
      files: 2,
    });
    await uniferum('site-assets', id, '--delete');
    expect((await uniferum('site-assets')).out.trim()).toBe('');
  });

  test('inbox, archives, manifests and addresses come in as runs', async () => {
    await writeFile(join(server.inbox, 'tide.txt'), 'high water at noon');
    expect((await uniferum('inbox')).out).toContain('tide.txt  new');
    expect((await uniferum('inbox', '--import', '--to', '/cli/inbox')).out).toContain('done, 1 done');
    expect((await uniferum('inbox', '--import', '--to', '/cli/inbox')).out).toContain(
      'Nothing in the inbox is new',
    );
    await put('list.csv', 'path,alt\ntide.txt,Tide\n,\n');
    const rehearsed = await uniferum('up', '--manifest', 'list.csv', '--rehearse');
    expect(rehearsed.out).toContain('1 of 1 rows would be imported');
    expect((await uniferum('up', 'data:,a%20note', '--to', '/cli')).code).toBe(0);
    expect((await uniferum('runs')).out).toContain('Importing 1 file from the inbox into ');
  });

  test('recipes, rebuilds, surplus, optimising and workers', async () => {
    const recipe = {
      name: 'card',
      title: 'Card',
      folders: ['/pictures'],
      steps: [{ op: 'fit', mode: 'inside', width: 60 }],
    };
    await put('recipes.json', JSON.stringify({ format: 'uniferum-recipes', version: 1, recipes: [recipe] }));
    expect((await uniferum('recipes', '--import', 'recipes.json', '--rehearse')).out.trim()).toBe(
      'make  card',
    );
    await uniferum('recipes', '--import', 'recipes.json');
    expect(JSON.parse((await uniferum('recipes', '--export')).out).recipes[0].name).toBe('card');
    await writeFile(join(folder, 'a.jpg'), await photo(300, 200));
    await uniferum('up', 'a.jpg', '--to', '/pictures');
    // The rendition of what arrived first: else the rebuild may find nothing left to do.
    await eventually(async () => /card {2}1 fresh/.test((await uniferum('recipes')).out));
    const rebuilt = await uniferum('rebuild', 'card', '--only', 'all', '--in', '/pictures', '--wait');
    expect([rebuilt.code, rebuilt.out]).toEqual([0, expect.stringContaining('Rebuild card: done, 1 done')]);
    expect((await uniferum('recipes')).out).toMatch(/card {2}1 fresh/);
    expect((await uniferum('rebuild', '--rehearse')).out).toContain('0 renditions of 0 files would be made');
    expect((await uniferum('optimise', 'kind:image', '--in', '/pictures', '--rehearse')).out).toContain(
      '1 of 1 files would be looked at',
    );
    expect((await uniferum('optimise', 'kind:image', '--in', '/pictures', '--wait')).out).toContain(
      'Optimising 1 original: done',
    );
    await server.call('DELETE', '/api/v1/recipes/card');
    expect((await uniferum('surplus')).out).toMatch(/0 requests +never .*~card.jpg\n1 of 1/);
    expect((await uniferum('surplus', '--remove', '--wait')).out).toContain('1 done');
    expect((await uniferum('workers')).out).toMatch(/alive {2}\d of 2/);
  });

  test('crawl says what is broken on a site, in its exit code too', async () => {
    const page = (text: string) =>
      site.pages.set('/', (_req, res) => res.writeHead(200, { 'content-type': 'text/html' }).end(text));
    page('<img src="/dusk.jpg">');
    const args = ['crawl', `${site.url}/`, '--depth', '2', '--per-second', '50'];
    const broken = await uniferum(...args);
    expect([broken.code, broken.out]).toEqual([1, expect.stringContaining('answered with status 404')]);
    page('no picture');
    expect((await uniferum(...args)).code).toBe(0);
    const { items } = (await server.call('GET', '/api/v1/sources')).body;
    const sites = items.filter(({ kind }: { kind: string }) => kind === 'site');
    expect(sites).toMatchObject([{ kind: 'site', settings: { depth: 2, checked: true } }]);
  });

  test('sources of any kind are added from a file of settings', async () => {
    await put('settings.json', JSON.stringify({ kind: 'site', settings: { url: site.url, depth: 0 } }));
    const { code, out } = await uniferum('sources', '--add', 'Home page', '--settings', 'settings.json');
    expect(code).toBe(0);
    expect((await server.call('GET', `/api/v1/sources/${out.trim()}`)).body).toMatchObject({
      name: 'Home page',
      settings: { depth: 0, maxPages: 2000 },
    });
  });

  test.each([
    [2, ['up']],
    [2, ['nothing']],
    [2, ['ls', 'knd:image']],
    [5, ['get', '99999']],
    [4, ['--key', 'uf_wrong', 'ls']],
    [3, ['--url', 'http://127.0.0.1:9', 'ls']],
    [0, ['--help']],
  ] as const)('ends with %d for %j', async (code, args) => {
    expect((await uniferum(...args)).code).toBe(code);
  });
});
