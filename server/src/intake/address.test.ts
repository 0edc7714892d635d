import type { ServerResponse } from 'node:http';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { api, callsOf, codes } from '../testing/calls.js';
import { photo, startTestServer, type TestServer } from '../testing/harness.js';
import { type OutsideSite, startOutsideSite } from '../testing/outside-site.js';

let server: TestServer;
let outside: OutsideSite;
let site: string;
let pages: OutsideSite['pages'];
beforeAll(async () => {
  outside = await startOutsideSite();
  ({ url: site, pages } = outside);
  server = await startTestServer({ env: { UNIFERUM_ALLOWED_HOSTS: outside.host } });
});
afterAll(async () => {
  outside.close();
  await server.close();
});
const { filesOf } = callsOf(() => server);

describe('an address', () => {
  const fetchOne = (source: string, more: object = {}) =>
    server.call('POST', `${api}/assets`, { json: { source, folder: '/fetched', ...more } });

  test('is fetched, with redirects, a name from its header and the texts sent along', async () => {
    const picture = await photo(50, 40, 9);
    pages.set('/moved', (_req, res) => res.writeHead(302, { location: '/dusk' }).end());
    pages.set('/dusk', (_req, res) =>
      res
        .writeHead(200, {
          'content-type': 'image/jpeg',
          'content-disposition': "attachment; filename*=UTF-8''M%C3%B6we.jpg",
        })
        .end(picture),
    );
    const { status, body } = await fetchOne(`${site}/moved`, { alt: 'A gull' });
    expect([status, body.name, body.alt, body.bytes]).toEqual([201, 'Möwe.jpg', 'A gull', picture.length]);
  });

  test.each([
    // RFC 6266, section 5, and RFC 9110, 5.6.4 for quoted pairs.
    ['quoted', 'attachment; filename="a \\"fine\\" day.txt"', 'a "fine" day.txt'],
    ['plain', 'attachment; filename=tide.txt', 'tide.txt'],
    ['plain, with more behind it', 'attachment; filename = tide.txt; size=3', 'tide.txt'],
    [
      'extended, preferred to the plain one',
      "attachment; filename=x.txt; filename*=utf-8''f%C3%B6g.txt",
      'fög.txt',
    ],
    ['extended and malformed', "attachment; filename*=UTF-8''%E0%A4%A; filename=plain.txt", 'plain.txt'],
    ['missing in the header', 'inline', 'named.txt'],
  ])('has a name that is %s', async (_what, disposition, name) => {
    pages.set('/named.txt', (_req, res) =>
      res
        .writeHead(200, { 'content-type': 'text/plain', 'content-disposition': disposition })
        .end(`named ${name}`),
    );
    const folder = `/named/${encodeURIComponent(name).replace(/[^a-z]/gi, '')}-${disposition.length}`;
    const { body } = await fetchOne(`${site}/named.txt`, { folder });
    expect(body.origin?.sentAs ?? body).toBe(name);
  });

  test.each([
    ['/deep/er/fog.txt', 'fog.txt'],
    ['/deep/er/', 'er.txt'],
    ['/', 'unnamed.txt'],
    ['/f%C3%B6g.txt', 'fög.txt'],
    ['/bad%E0%A4%A.txt', 'bad%E0%A4%A.txt'],
  ])('at %s without a header is named %s', async (path, name) => {
    pages.set(new URL(path, 'http://x').pathname, (_req, res) =>
      res.writeHead(200, { 'content-type': 'text/plain' }).end(`at ${path}`),
    );
    const { body } = await fetchOne(site + path, { folder: `/at/${path.length}` });
    expect(body.origin?.sentAs ?? body).toBe(name);
  });

  test.each([
    // RFC 2397, section 4.
    ['data:,A%20brief%20note', 'text/plain', 'A brief note'],
    ['data:text/plain;base64,Zm9n', 'text/plain', 'fog'],
  ])('can be a data URI: %s', async (uri, mime, content) => {
    const { body } = await fetchOne(uri, { name: `${content.length}.txt` });
    expect([
      body.mime,
      (await server.call('GET', body.url.slice(server.url.length))).bytes.toString(),
    ]).toEqual([mime, content]);
  });

  test.each<[string, string | (() => string), RegExp]>([
    ['leads to loopback', 'http://127.0.0.2:9/', /private network/],
    ['leads to loopback by name', 'http://localhost:9/', /private network/],
    ['leads to a private network', 'http://10.0.0.1/', /private network/],
    ['leads to link-local metadata', 'http://169.254.169.254/latest', /private network/],
    ['leads to loopback over IPv6', 'http://[::1]:9/', /private network/],
    ['leads to loopback, mapped', 'http://[::ffff:127.0.0.1]:9/', /private network/],
    ['leads to the unspecified address', 'http://0.0.0.0:9/', /private network/],
    ["leads to a provider's own network", 'http://100.64.0.1/', /private network/],
    ['leads to a local IPv6 network', 'http://[fd00::1]/', /private network/],
    ['leads to a link-local IPv6 address', 'http://[fe80::1]/', /private network/],
    ['leads to loopback, translated to IPv6', 'http://[64:ff9b::7f00:1]/', /private network/],
    ['is written in octal', 'http://0177.0.0.1:9/', /private network/],
    ['is written in hexadecimal', 'http://0x7f.1:9/', /private network/],
    ['redirects to a local file', () => `${site}/to-file`, /is not supported; use an http/],
    ['is written as one number', 'http://2130706433:9/', /private network/],
    ['redirects to loopback', () => `${site}/to-loopback`, /private network/],
    ['redirects without end', () => `${site}/round`, /redirected more than/],
    ['is not there', () => `${site}/nothing`, /status 404/],
    ['answers with a web page', () => `${site}/page`, /web page/],
    ['states more than it sends', () => `${site}/liar`, /connection was lost|stated/],
    ['is a local file', 'file:///etc/passwd', /is not supported; use an http/],
    ['holds a password', 'http://a:b@skerry.example/', /password/],
    ['is a broken data URI', 'data:text/plain;base64,%%%', /data URI/],
  ])('that %s is refused with the reason', async (_what, address, reason) => {
    pages.set('/to-loopback', (_req, res) => res.writeHead(302, { location: 'http://127.0.0.2:9/' }).end());
    pages.set('/to-file', (_req, res) => res.writeHead(302, { location: 'file:///etc/passwd' }).end());
    pages.set('/round', (_req, res) => res.writeHead(302, { location: '/round' }).end());
    pages.set('/page', (_req, res) =>
      res.writeHead(200, { 'content-type': 'text/html' }).end('<h1>Sorry</h1>'),
    );
    pages.set('/liar', (_req, res) => {
      res.writeHead(200, { 'content-length': '1000', 'content-type': 'image/jpeg' });
      res.write('short');
      setImmediate(() => res.destroy());
    });
    const { status, body } = await fetchOne(typeof address === 'string' ? address : address());
    expect([status, codes(body.verdict)]).toEqual([422, 'address-failed']);
    expect(body.detail).toMatch(reason);
  });

  test('that never ends is broken off at the limit, and nothing of it is kept', async () => {
    const small = await startTestServer({
      env: { UNIFERUM_ALLOWED_HOSTS: new URL(site).host, UNIFERUM_MAX_UPLOAD_BYTES: '200000' },
    });
    try {
      pages.set('/endless', (_req, res) => {
        res.writeHead(200, { 'content-type': 'image/jpeg' });
        const more = () => {
          while (!res.destroyed && res.write(Buffer.alloc(65_536)));
          if (!res.destroyed) res.once('drain', more);
        };
        more();
      });
      const { status, body } = await small.call('POST', `${api}/assets`, {
        json: { source: `${site}/endless` },
      });
      expect([status, codes(body.verdict)]).toEqual([422, 'address-failed']);
      expect(body.detail).toContain('larger than 200 kB');
      expect((await small.call('GET', `${api}/assets?folder=/&deep=true`)).body.total).toBe(0);
    } finally {
      await small.close();
    }
  });

  test('a list of them becomes a batch with a verdict for each', async () => {
    pages.set('/one.txt', (_req, res) => res.writeHead(200, { 'content-type': 'text/plain' }).end('one'));
    const { status, body } = await server.call('POST', `${api}/intake/addresses`, {
      json: { folder: '/list', addresses: [`${site}/one.txt`, `${site}/missing.txt`, 'data:,three'] },
    });
    expect(status).toBe(202);
    await server.workUntilIdle();
    expect((await filesOf(body.intake.id)).map(({ outcome, codes: why }) => [outcome, why]).sort()).toEqual([
      ['accepted', ''],
      ['accepted', ''],
      ['refused', 'address-failed'],
    ]);
    const report = await server.call('GET', `${api}/intakes/${body.intake.id}/report`);
    expect(report.bytes.toString().split('\r\n')[0]).toBe('name,outcome,reasons,codes,bytes,asset,url,at');
    expect(report.bytes.toString().trim().split('\r\n')).toHaveLength(4);
    const json = JSON.parse(
      (await server.call('GET', `${api}/intakes/${body.intake.id}/report?format=json`)).bytes.toString(),
    );
    expect(json.files).toHaveLength(3);
    const unknown = await server.call('GET', `${api}/intakes/999999999/report`);
    expect([unknown.status, unknown.body.code]).toEqual([404, 'not-found']);
  });
});

describe('a link', () => {
  const describeAs = (oembed: object) => {
    pages.set('/film', (_req, res) =>
      res
        .writeHead(200, { 'content-type': 'text/html' })
        .end(
          '<html><head><link rel="alternate" type="application/json+oembed" href="/oembed?x=1&amp;y=2"></head></html>',
        ),
    );
    pages.set('/oembed', (_req, res) =>
      res.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(oembed)),
    );
  };

  test('is kept with title, size and preview, found by discovery', async () => {
    const preview = await photo(320, 180, 3);
    pages.set('/still.jpg', (_req, res) => res.writeHead(200, { 'content-type': 'image/jpeg' }).end(preview));
    describeAs({
      version: '1.0',
      type: 'video',
      title: 'The lamp turns',
      author_name: 'Isbel Crane',
      provider_name: 'Farrow Film',
      html: '<iframe src="https://film.example/e/1"></iframe>',
      width: 640,
      height: 360,
      thumbnail_url: `${site}/still.jpg`,
    });
    const { status, body } = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/film`, folder: '/links', as: 'link' },
    });
    expect(status).toBe(201);
    expect(body).toMatchObject({
      kind: 'link',
      title: 'The lamp turns',
      credit: 'Isbel Crane',
      width: 640,
      link: { address: `${site}/film`, type: 'video', provider: 'Farrow Film' },
    });
    const { url } = body.renditions.find(({ recipe }: { recipe: string }) => recipe === 'preview');
    const shown = await server.call('GET', url.slice(server.url.length), { key: null });
    expect([shown.status, shown.headers.get('content-type')]).toEqual([200, 'image/webp']);
  });

  test('to a page that describes nothing, or describes it wrongly, is refused', async () => {
    pages.set('/plain', (_req, res) =>
      res.writeHead(200, { 'content-type': 'text/html' }).end('<title>x</title>'),
    );
    const plain = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/plain`, as: 'link' },
    });
    describeAs({ type: 'hologram' });
    const wrong = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/film`, as: 'link' },
    });
    pages.set('/astray', (_req, res) =>
      res
        .writeHead(200, { 'content-type': 'text/html' })
        .end('<link rel="alternate" type="application/json+oembed" href="http://[">'),
    );
    const astray = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/astray`, as: 'link' },
    });
    expect([plain.body.detail, wrong.body.detail, astray.body.detail]).toEqual([
      expect.stringContaining('has no oEmbed description'),
      expect.stringContaining('is not oEmbed'),
      expect.stringContaining('has an invalid URL'),
    ]);
  });

  test.each([
    ['breaks off', (res: ServerResponse) => res.writeHead(200).write('half', () => res.destroy())],
    [
      // Readable as far as it is read: only its size speaks against it.
      'is larger than a preview may be',
      async (res: ServerResponse) =>
        res.end(Buffer.concat([await photo(320, 180, 4), Buffer.alloc(10_000_000)])),
    ],
    ['is no picture', (res: ServerResponse) => res.end('not a picture')],
  ])('whose preview %s is kept without one', async (name, answer) => {
    pages.set('/torn.jpg', (_req, res) => void answer(res));
    describeAs({ version: '1.0', type: 'video', title: `It ${name}`, thumbnail_url: `${site}/torn.jpg` });
    const { status, body } = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/film`, folder: '/links', as: 'link' },
    });
    expect([status, body.title, body.renditions]).toEqual([201, `It ${name}`, []]);
  });

  test('to a photo without a preview has the photo as its preview, and one of another type has none', async () => {
    const picture = await photo(64, 48, 5);
    pages.set('/photo.jpg', (_req, res) => res.writeHead(200, { 'content-type': 'image/jpeg' }).end(picture));
    const previews = [];
    for (const type of ['photo', 'video']) {
      describeAs({ version: '1.0', type, title: `A ${type}`, url: `${site}/photo.jpg` });
      const { body } = await server.call('POST', `${api}/assets`, {
        json: { source: `${site}/film`, folder: '/photos', as: 'link' },
      });
      previews.push(body.renditions.map(({ width }: { width: number }) => width));
    }
    expect(previews).toEqual([[64], []]);
  });

  test.each(['application/json', 'application/json+oembed'])(
    'can be the description itself, as %s; what is sent along counts more than what it says',
    async (mime) => {
      const oembed = {
        version: '1.0',
        type: 'rich',
        title: '',
        author_name: 'Isbel Crane',
        provider_name: '',
      };
      pages.set('/described', (_req, res) =>
        res.writeHead(200, { 'content-type': mime }).end(JSON.stringify({ ...oembed, note: mime })),
      );
      const take = async (more: object) =>
        (
          await server.call('POST', `${api}/assets`, {
            json: { source: `${site}/described`, folder: `/described/${mime.length}`, as: 'link', ...more },
          })
        ).body;
      // Without a title its file is named for the host.
      const name = `${new URL(site).hostname}.link`;
      const first = await take({});
      expect(first).toMatchObject({ title: null, credit: 'Isbel Crane', link: { type: 'rich' } });
      expect([first.name.startsWith(name.split('.link')[0]), first.link.provider ?? null]).toEqual([
        true,
        null,
      ]);
      expect(await take({ title: 'Ours', credit: 'Edda Marrow' })).toMatchObject({
        ...{ name: 'Ours.link', title: 'Ours', credit: 'Edda Marrow' },
      });
    },
  );

  test.each([
    ['fits is kept', '☃'.repeat(16_000), true],
    ['is too long is left out', '☃'.repeat(17_000), false],
  ])('whose HTML %s', async (_what, html, isKept) => {
    describeAs({ version: '1.0', type: 'rich', title: `${html.length}`, html });
    const { status, body } = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/film`, folder: '/html', as: 'link' },
    });
    expect([status, body.link.html ?? null]).toEqual([201, isKept ? html : null]);
  });

  test('whose description has half a size has none', async () => {
    const sizes = [];
    for (const more of [{ width: 640 }, { height: 360 }, { width: 640, height: 360 }]) {
      describeAs({ version: '1.0', type: 'video', title: `Half ${JSON.stringify(more)}`, ...more });
      const { body } = await server.call('POST', `${api}/assets`, {
        json: { source: `${site}/film`, folder: '/half', as: 'link' },
      });
      sizes.push([body.width, body.height]);
    }
    expect(sizes).toEqual([
      [null, null],
      [null, null],
      [640, 360],
    ]);
  });

  test('to a page whose description is no JSON is refused', async () => {
    describeAs({});
    pages.set('/oembed', (_req, res) => res.writeHead(200, { 'content-type': 'application/json' }).end('{'));
    const { status, body } = await server.call('POST', `${api}/assets`, {
      json: { source: `${site}/film`, as: 'link' },
    });
    expect([status, codes(body.verdict), body.detail]).toEqual([
      ...[422, 'address-failed', expect.stringContaining('is not JSON')],
    ]);
  });
});
