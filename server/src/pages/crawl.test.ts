import type { IncomingMessage } from 'node:http';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { inTransaction } from '../shared/database.js';
import { api } from '../testing/calls.js';
import { form, startTestServer, type TestServer } from '../testing/harness.js';
import { type OutsideSite, startOutsideSite } from '../testing/outside-site.js';
import { reserveRequest } from './crawl-queries.js';
import { RobotsReader } from './robots.js';

let server: TestServer;
let site: OutsideSite;
let other: OutsideSite;
beforeAll(async () => {
  [site, other] = [await startOutsideSite(), await startOutsideSite()];
  server = await startTestServer({ env: { UNIFERUM_ALLOWED_HOSTS: `${site.host},${other.host}` } });
});
afterAll(async () => {
  await server.close();
  site.close();
  other.close();
});

let asked: string[];
let sources = 0;
beforeEach(() => {
  asked = [];
  sources += 1;
  // Robots are remembered for some minutes: each test has its own.
  serve('/robots.txt', '', { type: 'text/plain' });
});
afterEach(() => {
  site.pages.clear();
  other.pages.clear();
});

interface Served {
  type?: string;
  status?: number;
  headers?: Record<string, string>;
  on?: OutsideSite;
}

/** Serves a page, and notes who asks for it. */
function serve(
  path: string,
  body: string,
  { type = 'text/html', status = 200, headers = {}, on = site }: Served = {},
) {
  on.pages.set(path, (req, res) => {
    note(req);
    const isKnown = headers.etag !== undefined && req.headers['if-none-match'] === headers.etag;
    res.writeHead(isKnown ? 304 : status, { 'content-type': type, ...headers });
    res.end(isKnown || req.method === 'HEAD' ? undefined : body);
  });
}
function note({ method, url, headers }: IncomingMessage) {
  const isKnown = headers['if-none-match'] ?? headers['if-modified-since'];
  asked.push(`${method} ${url}${isKnown ? ' if changed' : ''}`);
}

const post = (path: string, json: object = {}) => server.call('POST', `${api}${path}`, { json });
const get = async (path: string) => (await server.call('GET', `${api}${path}`)).body;
async function addSite(settings: object = {}): Promise<string> {
  const { status, body } = await post('/sources', {
    kind: 'site',
    name: `Site ${sources}`,
    settings: { url: `${site.url}/`, perSecond: 50, ...settings },
  });
  expect(status, JSON.stringify(body)).toBe(201);
  return body.id;
}
/** Reads a site to the end. @returns its run */
async function crawl(source: string) {
  const { status, body } = await post(`/sources/${source}/index`);
  expect(status, JSON.stringify(body)).toBe(202);
  await server.workUntilIdle();
  return get(`/runs/${body.run.id}`);
}
const brokenOf = async (source: string) =>
  (await get(`/references?source=${source}`)).items.map(
    ({ document, address, detail, reason }: Record<string, string>) =>
      `${document} ${address} ${reason}${detail ? `: ${detail}` : ''}`,
  );
const documentsOf = async (source: string) => (await get(`/sources/${source}`)).documents;
const readPages = () => asked.filter((one) => one.startsWith('GET') && one !== 'GET /robots.txt').sort();

describe('a site', () => {
  test('is read from its first page on: uses are found, and what it refers to is asked for once', async () => {
    const data = Buffer.from('crawled');
    const { body: asset } = await server.call('POST', `${api}/assets`, {
      body: form('/crawled', [{ name: 'a.txt', data }]),
    });
    serve(
      '/',
      `<title>Home</title><a href="two.html#x">2</a><a href="${server.url}/media/crawled/a.txt">a</a>`,
    );
    serve(
      '/two.html',
      '<link rel=stylesheet href=/site.css><img src=/pic.jpg><img src=pic.jpg><a href="/">home</a>',
    );
    serve('/site.css', 'p { background: url(paper.png) }', { type: 'text/css' });
    serve('/pic.jpg', 'x', { type: 'image/jpeg' });
    serve('/far', 'x', { on: other });
    const source = await addSite();
    expect(await crawl(source)).toMatchObject({ state: 'done', failed: 0 });
    expect(await documentsOf(source)).toBe(3);
    expect((await get(`/assets/${asset.id}/uses`)).items).toMatchObject([
      { document: '/', title: 'Home', url: `${site.url}/` },
    ]);
    expect(await brokenOf(source)).toEqual([
      `/site.css paper.png unreachable: ${site.host} answered with status 404.`,
    ]);
    expect(asked.filter((one) => one === 'HEAD /pic.jpg')).toHaveLength(1);
  });

  test('is read again only where it changed; what is gone is forgotten, what is mended is whole', async () => {
    serve('/', '<a href=one>1</a><a href=two>2</a>', { headers: { etag: '"home-1"' } });
    serve('/one', '<img src=/missing.jpg>', { headers: { etag: '"one-1"' } });
    serve('/two', 'two', { headers: { 'last-modified': 'Wed, 20 May 2026 12:00:00 GMT' } });
    const source = await addSite();
    await crawl(source);
    expect(await documentsOf(source)).toBe(3);
    expect(await brokenOf(source)).toHaveLength(1);
    asked = [];
    serve('/missing.jpg', 'x', { type: 'image/jpeg' });
    await crawl(source);
    expect(readPages()).toEqual(['GET / if changed', 'GET /one if changed', 'GET /two if changed']);
    expect(await brokenOf(source)).toEqual([]);
    serve('/', '<a href=one>1</a>', { headers: { etag: '"home-2"' } });
    await crawl(source);
    expect(await documentsOf(source)).toBe(2);
  });

  test('that has a page no more says so where it is linked', async () => {
    serve('/', '<a href=one>1</a>');
    serve('/one', 'one');
    const source = await addSite();
    await crawl(source);
    site.pages.delete('/one');
    await crawl(source);
    expect(await documentsOf(source)).toBe(1);
    expect(await brokenOf(source)).toEqual([`/ one unreachable: ${site.host} answered with status 404.`]);
  });

  test.each<[name: string, happens: () => void]>([
    ['has no first page any more', () => site.pages.delete('/')],
    ['shuts us out', () => serve('/', '', { status: 403 })],
    ['leads away', () => serve('/', '', { status: 302, headers: { location: 'http://127.0.0.1:9/' } })],
  ])('that %s fails, and nothing that is known of it is forgotten', async (_name, happens) => {
    serve('/', '<a href=one>1</a>');
    serve('/one', 'one');
    const source = await addSite();
    await crawl(source);
    happens();
    expect(await crawl(source)).toMatchObject({ state: 'faulty', failed: 1 });
    expect(await documentsOf(source)).toBe(2);
  });

  test('that refuses a page for the moment keeps what is known of that page', async () => {
    serve('/', '<a href=one>1</a>');
    serve('/one', 'one');
    const source = await addSite();
    await crawl(source);
    serve('/one', '', { status: 403 });
    await crawl(source);
    expect(await documentsOf(source)).toBe(2);
    expect(await brokenOf(source)).toEqual([`/ one unreachable: ${site.host} answered with status 403.`]);
  });

  test('is read no deeper, and no more of it, than is set; other folders are only checked', async () => {
    serve('/guide/', '<a href=a>a</a><a href=/news/>news</a>');
    serve('/guide/a', '<a href=b>b</a>');
    serve('/guide/b', '<a href=c>c</a>');
    serve('/guide/c', 'c');
    serve('/news/', '<a href=x>x</a>');
    const url = `${site.url}/guide/`;
    const deep = await addSite({ url, depth: 2 });
    await crawl(deep);
    expect(await documentsOf(deep)).toBe(3);
    expect(readPages()).not.toContain('GET /guide/c');
    expect(asked).toContain('HEAD /news/');
    sources += 1;
    const few = await addSite({ url, maxPages: 2, checked: false });
    asked = [];
    await crawl(few);
    expect(await documentsOf(few)).toBe(2);
    expect(asked.filter((one) => one.startsWith('HEAD'))).toEqual([]);
  });

  test('without an end is left after the most pages that are set', async () => {
    let n = 0;
    site.pages.set('/', (_req, res) => {
      n += 1;
      res.writeHead(200, { 'content-type': 'text/html' }).end(`<a href="/?page=${n}">next</a>`);
    });
    const source = await addSite({ maxPages: 12, depth: 100 });
    expect(await crawl(source)).toMatchObject({ state: 'done' });
    expect(await documentsOf(source)).toBe(12);
  });

  test('that leads elsewhere is read where it leads to, and no further than it reaches', async () => {
    const move = (path: string, to: string) => serve(path, '', { status: 301, headers: { location: to } });
    serve('/', '<a href=old>1</a><a href=away>2</a><a href=circle>3</a>');
    move('/old', '/new');
    serve('/new', '<img src=/x.jpg>');
    move('/away', `${other.url}/page`);
    serve('/page', '<a href=/deeper>', { on: other });
    move('/circle', '/circle');
    const source = await addSite();
    await crawl(source);
    expect(await documentsOf(source)).toBe(2);
    expect(await brokenOf(source)).toEqual(
      expect.arrayContaining([
        `/new /x.jpg unreachable: ${site.host} answered with status 404.`,
        '/ circle unreachable: it was redirected more than 5 times.',
      ]),
    );
    expect(asked).not.toContain('GET /deeper');
  });

  test('with pages that are none, too large or cut off loses nothing of the others', async () => {
    serve('/', '<a href=pic>1</a><a href=huge>2</a><a href=cut>3</a><a href=good>4</a>');
    serve('/pic', 'x', { type: 'image/jpeg' });
    site.pages.set('/huge', (_req, res) => {
      res.writeHead(200, { 'content-type': 'text/html' });
      res.end(Buffer.alloc(10_000_001, ' '));
    });
    site.pages.set('/cut', (_req, res) => {
      res.writeHead(404);
      res.socket?.destroy();
    });
    serve('/good', '<a href="http://[bad">bad</a><a href="/%ff">é</a><base href="javascript:x">');
    const source = await addSite();
    const run = await crawl(source);
    expect(['done', 'faulty']).toContain(run.state);
    expect(await documentsOf(source)).toBe(2);
    const broken = (await brokenOf(source)).join('\n');
    expect(broken).not.toContain('/ huge');
    expect(broken).toContain('/ cut unreachable');
    expect(broken).not.toContain('/ pic');
    expect(broken).toContain('/good http://[bad unreachable: "http://[bad/" is not a URL.');
  });

  test('is not read twice at the same time', async () => {
    serve('/', 'home');
    const source = await addSite();
    expect((await post(`/sources/${source}/index`)).status).toBe(202);
    const second = await post(`/sources/${source}/index`);
    expect([second.status, second.body.detail]).toEqual([
      409,
      expect.stringContaining('is being read by run'),
    ]);
    await server.workUntilIdle();
    expect((await crawl(source)).state).toBe('done');
  });

  test('is not rewritten', async () => {
    const source = await addSite();
    const { status, body } = await post('/rewrites', { sources: [source], map: [{ from: '/a', to: '/b' }] });
    expect([status, body.detail]).toEqual([409, expect.stringContaining('read over the network')]);
  });
});

describe('what a site asks for', () => {
  const reader = () => new RobotsReader({ allowedHosts: new Set([site.host]) });

  // Source: RFC 9309, sections 2.2 and 2.3.1.
  test.each<[name: string, robots: Served & { body?: string }, path: string, isAllowed: boolean]>([
    ['is kept to', { body: 'User-agent: *\nDisallow: /private' }, '/private/x', false],
    ['leaves the rest', { body: 'User-agent: *\nDisallow: /private' }, '/public', true],
    ['has exceptions', { body: 'User-agent: *\nDisallow: /\nAllow: /news/' }, '/news/1', true],
    ['can be for us', { body: 'User-agent: Uniferum\nDisallow: /\n\nUser-agent: *\nDisallow:' }, '/', false],
    ['can be for others', { body: 'User-agent: Other\nDisallow: /' }, '/', true],
    ['is nothing when there is none', { status: 404 }, '/', true],
    ['is nothing when it may not be read', { status: 403 }, '/', true],
  ])('%s', async (_name, { body = '', ...served }, path, isAllowed) => {
    serve('/robots.txt', body, { type: 'text/plain', ...served });
    expect((await reader().rulesFor(site.url)).allows(site.url + path)).toBe(isAllowed);
  });

  test('cannot be known while the server has a fault: then nothing is read', async () => {
    serve('/robots.txt', '', { status: 500 });
    await expect(reader().rulesFor(site.url)).rejects.toMatchObject({ status: 500, mayRetry: true });
  });

  test('is asked for once in ten minutes', async () => {
    const robots = reader();
    await robots.rulesFor(`${site.url}/a`, 0);
    await robots.rulesFor(`${site.url}/b`, 599_999);
    expect(asked).toEqual(['GET /robots.txt']);
    await robots.rulesFor(`${site.url}/b`, 600_000);
    expect(asked).toHaveLength(2);
  });

  test('can be to wait, for half a minute at most', async () => {
    serve('/robots.txt', 'User-agent: *\nCrawl-delay: 4', { type: 'text/plain' });
    expect((await reader().rulesFor(site.url)).intervalMs).toBe(4000);
    serve('/robots.txt', 'User-agent: *\nCrawl-delay: 4000', { type: 'text/plain' });
    expect((await reader().rulesFor(site.url)).intervalMs).toBe(30_000);
  });

  test('is said by the test of a source, step by step', async () => {
    serve('/', 'home');
    const source = await addSite();
    const steps = async () =>
      (await post(`/sources/${source}/test`)).body.steps.map(
        ({ name, ok }: { name: string; ok: boolean }) => `${name} ${ok}`,
      );
    expect(await steps()).toEqual(['reached true', 'allowed true', 'readable true']);
    serve('/', 'x', { type: 'image/png' });
    expect(await steps()).toEqual(['reached true', 'allowed true', 'readable false']);
    serve('/robots.txt', 'User-agent: *\nDisallow: /', { type: 'text/plain' });
    expect(await steps()).toEqual(['reached true', 'allowed false']);
    site.pages.delete('/robots.txt');
    serve('/robots.txt', '', { status: 503 });
    expect(await steps()).toEqual(['reached false']);
  });
});

test('turns of a site are as far apart as is set, whoever takes them', async () => {
  const source = await addSite();
  const take = () => inTransaction(server.db, (tx) => reserveRequest(tx, source, 60_000));
  const waits = await Promise.all([take(), take(), take()]);
  const [first, second, third] = waits.sort((a, b) => a - b) as [number, number, number];
  expect(first).toBeLessThan(1000);
  expect(second).toBeGreaterThan(58_000);
  expect(third - second).toBeGreaterThan(58_000);
});

test('private hosts are not read unless the configuration names them', async () => {
  const source = await addSite({ url: 'http://127.0.0.1:9/' });
  expect((await post(`/sources/${source}/test`)).body.steps).toMatchObject([
    { ok: false, message: expect.stringContaining('UNIFERUM_ALLOWED_HOSTS') },
  ]);
});
