import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import { openDatabase } from '../shared/pooled-database.js';
import { api } from '../testing/calls.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { AllowedOrigins } from './origins.js';

// What a browser sends from pages of other origins, and what it lets them read. Source: WHATWG Fetch, 3.3 (CORS protocol).

let server: TestServer;
const PAGE = 'https://letters.example';
const OTHER = 'https://other.example';

beforeAll(async () => {
  server = await startTestServer();
  for (const path of ['/letters', '/letters/new', '/lettersroom'])
    await server.call('POST', `${api}/folders`, { json: { path } });
});
afterAll(() => server.close());

/** A request as a page of an origin sends it. */
const from = (origin: string, more: Record<string, string> = {}) => ({
  headers: { Origin: origin, 'Sec-Fetch-Site': 'cross-site', 'Sec-Fetch-Mode': 'cors', ...more },
});
const preflight = (origin: string, path: string, method = 'POST') =>
  server.call('OPTIONS', path, {
    key: null,
    ...from(origin, {
      'Access-Control-Request-Method': method,
      'Access-Control-Request-Headers': 'authorization',
    }),
  });
const readable = ({ headers }: { headers: Headers }) => headers.get('access-control-allow-origin');

async function keyFor(origins: string[]): Promise<string> {
  const { status, body } = await server.call('POST', `${api}/keys`, {
    json: { name: 'A page', rights: ['library:read', 'library:write'], origins },
  });
  expect([status, body.origins]).toEqual([201, origins]);
  return body.secret;
}
async function tokenFor(more: object = {}): Promise<string> {
  const { status, body } = await server.call('POST', `${api}/upload-tokens`, {
    json: { folder: '/letters', ...more },
  });
  expect(status, JSON.stringify(body)).toBe(201);
  return body.token;
}
/** An origin that was just allowed is known after a moment. */
const known = (origin: string) =>
  vi.waitFor(async () => expect(readable(await preflight(origin, `${api}/assets`))).toBe(origin), {
    timeout: 10_000,
  });

describe('a key', () => {
  test('is for up to 50 origins, each of them once and without a path', async () => {
    const many = Array.from({ length: 51 }, (_, n) => `https://page-${n}.example`);
    const made = async (origins: string[]) =>
      (await server.call('POST', `${api}/keys`, { json: { name: 'x', rights: ['library:read'], origins } }))
        .status;
    expect([await made(many.slice(0, 50)), await made(many)]).toEqual([201, 400]);
    for (const wrong of [
      'https://a.example/',
      'https://a.example/x',
      'ftp://a.example',
      '*',
      'null',
      'a.example',
    ])
      expect([wrong, await made([wrong])]).toEqual([wrong, 400]);
    expect(await made([OTHER, OTHER])).toBe(400);
  });

  test('without origins is for scripts: no page may read an answer, or use it', async () => {
    const key = await server.key();
    const asked = await preflight(OTHER, `${api}/assets`);
    expect([readable(asked), asked.status]).toEqual([null, 404]);
    const used = await server.call('GET', `${api}/assets`, { key, ...from(OTHER) });
    expect([used.status, used.body.code, readable(used)]).toEqual([403, 'foreign-origin', null]);
    // A script that states an origin is no browser.
    expect((await server.call('GET', `${api}/assets`, { key, headers: { Origin: OTHER } })).status).toBe(200);
  });

  test('with an origin is for pages of it, with what they send and read', async () => {
    const key = await keyFor([PAGE]);
    await known(PAGE);
    const asked = await preflight(PAGE, `${api}/uploads`, 'PATCH');
    expect([asked.status, readable(asked)]).toEqual([204, PAGE]);
    expect(asked.headers.get('access-control-allow-methods')?.split(', ')).toContain('PATCH');
    const sent = asked.headers.get('access-control-allow-headers')?.toLowerCase().split(', ');
    for (const name of [
      'authorization',
      'content-type',
      'tus-resumable',
      'upload-offset',
      'upload-metadata',
      'idempotency-key',
    ])
      expect(sent).toContain(name);
    const used = await server.call('GET', `${api}/assets`, { key, ...from(PAGE) });
    expect([used.status, readable(used), used.headers.get('vary')]).toEqual([
      200,
      PAGE,
      expect.stringContaining('Origin'),
    ]);
    expect(used.headers.get('access-control-expose-headers')).toContain('Location');
    // Errors can be read as well, and say what is wrong.
    expect(readable(await server.call('GET', `${api}/assets/999999`, { key, ...from(PAGE) }))).toBe(PAGE);
    expect((await server.call('GET', `${api}/assets`, { key, ...from(OTHER) })).status).toBe(403);
  });

  test('never lets cookies count', async () => {
    const answer = await server.call('GET', `${api}/assets`, { ...from(PAGE) });
    expect(answer.headers.get('access-control-allow-credentials')).toBeNull();
  });

  test.each(['https://a.example/', 'https://a.example/page', 'ftp://a.example', 'a.example', '*', 'null'])(
    'is not made for %s, which is no origin',
    async (origin) => {
      const { status } = await server.call('POST', `${api}/keys`, {
        json: { name: 'x', rights: ['library:read'], origins: [origin] },
      });
      expect(status).toBe(400);
    },
  );
});

describe('an upload token', () => {
  test('uploads into its folder and those below, and does nothing else', async () => {
    const token = await tokenFor({ origin: PAGE, maxItems: 2 });
    await known(PAGE);
    const send = async (folder: string, name: string) =>
      server.call('POST', `${api}/assets`, {
        key: token,
        ...from(PAGE),
        body: form(folder, [{ name, data: Buffer.from(name) }]),
      });
    const first = await send('/letters/new', 'a.txt');
    expect([first.status, first.body.folder.path, readable(first)]).toEqual([201, '/letters/new', PAGE]);
    expect((await send('/lettersroom', 'b.txt')).status).toBe(403);
    expect((await server.call('GET', `${api}/assets`, { key: token })).status).toBe(403);
    expect((await server.call('DELETE', `${api}/assets/${first.body.id}`, { key: token })).status).toBe(403);
    expect((await send('/letters', 'c.txt')).status).toBe(201);
    expect((await send('/letters', 'd.txt')).status).toBe(422);
  });

  test('is for pages of its origin', async () => {
    const token = await tokenFor({ origin: PAGE });
    const body = form('/letters', [{ name: 'e.txt', data: Buffer.from('e') }]);
    expect((await server.call('POST', `${api}/assets`, { key: token, ...from(OTHER), body })).status).toBe(
      403,
    );
  });

  test('gives no more rights than whoever asks for it has', async () => {
    const reading = await server.key(['library:read']);
    const { status } = await server.call('POST', `${api}/upload-tokens`, {
      key: reading,
      json: { folder: '/letters' },
    });
    expect(status).toBe(403);
    expect((await server.call('POST', `${api}/upload-tokens`, { json: { folder: '/nowhere' } })).status).toBe(
      404,
    );
    expect((await server.call('POST', `${api}/upload-tokens`, { json: {} })).status).toBe(400);
  });

  describe('for a resumable upload', () => {
    const begin = async (
      token: string,
      { folder = '/letters', bytes = 5, unpack = false, name = 'f.txt' } = {},
    ) => {
      const metadata = Object.entries({ filename: name, folder, ...(unpack && { unpack: 'true' }) });
      return server.call('POST', `${api}/uploads`, {
        key: token,
        ...from(PAGE, {
          'Tus-Resumable': '1.0.0',
          'Upload-Length': String(bytes),
          'Upload-Metadata': metadata
            .map(([field, value]) => `${field} ${Buffer.from(value).toString('base64')}`)
            .join(','),
        }),
      });
    };
    const finish = async (token: string, url: string, data: Buffer) => {
      const path = new URL(url).pathname;
      const sent = await server.call('PATCH', path, {
        key: token,
        ...from(PAGE, {
          'Tus-Resumable': '1.0.0',
          'Upload-Offset': '0',
          'Content-Type': 'application/offset+octet-stream',
        }),
        body: new Blob([data as BlobPart]),
      });
      return {
        sent,
        result: (await server.call('GET', `${path}/result`, { key: token, ...from(PAGE) })).body,
      };
    };

    test('works like for any other, within its limits', async () => {
      const token = await tokenFor({ origin: PAGE, maxBytes: 100_000, maxItems: 1, allow: ['image/*'] });
      const data = await photo(40, 30);
      const begun = await begin(token, { bytes: data.length, name: 'a.jpg' });
      expect([begun.status, readable(begun)]).toEqual([201, PAGE]);
      const { sent, result } = await finish(token, begun.headers.get('location') ?? '', data);
      expect([sent.status, readable(sent), result.verdict.outcome]).toEqual([204, PAGE, 'accepted']);
      const second = await begin(token, { name: 'b.jpg' });
      const { result: refused } = await finish(
        token,
        second.headers.get('location') ?? '',
        Buffer.from('hello'),
      );
      expect([refused.verdict.outcome, refused.asset]).toEqual(['refused', null]);
    });

    test("is refused before it begins where the token doesn't allow it", async () => {
      const token = await tokenFor({ maxBytes: 10 });
      const answers = [{ folder: '/lettersroom' }, { bytes: 11 }, { unpack: true, name: 'a.zip' }];
      expect(await Promise.all(answers.map(async (one) => (await begin(token, one)).status))).toEqual([
        403, 413, 403,
      ]);
    });

    test('of somebody else is not there', async () => {
      const begun = await begin(await tokenFor());
      const path = new URL(begun.headers.get('location') ?? '').pathname;
      const { status } = await server.call('HEAD', path, {
        key: await tokenFor(),
        headers: { 'Tus-Resumable': '1.0.0' },
      });
      expect(status).toBe(404);
    });
  });
});

describe('pictures on demand (IIIF)', () => {
  test.each([
    ["a picture that doesn't exist", '/iiif/3/999999999/info.json', 404],
    ['an id that none has', '/iiif/3/no%20such/info.json', 404],
    ['one that is too long for any', `/iiif/3/${'9'.repeat(40)}/full/max/0/default.jpg`, 404],
    ['an address of nothing', '/iiif/3/1/2', 404],
  ])('of %s is readable everywhere', async (_what, path, status) => {
    const answer = await server.call('GET', path, { key: null, ...from(OTHER) });
    expect([answer.status, readable(answer)]).toEqual([status, '*']);
  });

  test('may be asked for from everywhere', async () => {
    const answer = await preflight(OTHER, '/iiif/3/1/full/max/0/default.jpg', 'GET');
    expect([answer.status, readable(answer)]).toEqual([204, '*']);
    expect((await server.call('OPTIONS', '/iiif/3/1/info.json', { key: null })).status).toBe(204);
  });
});

test('origins stay known while the database is away', async () => {
  await tokenFor({ origin: 'https://away.example' });
  const db = openDatabase(server.config.database);
  vi.useFakeTimers({ toFake: ['Date'] });
  try {
    const origins = new AllowedOrigins(db);
    expect(await origins.has('https://away.example')).toBe(true);
    await db.end();
    vi.setSystemTime(Date.now() + 60_000);
    expect(await origins.has('https://away.example')).toBe(true);
    expect(await new AllowedOrigins(db).has('https://away.example')).toBe(false);
  } finally {
    vi.useRealTimers();
  }
});
