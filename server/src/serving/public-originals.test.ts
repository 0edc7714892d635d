import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { recipe } from '../testing/derived.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';

const api = '/api/v1';
let folder: string;
let server: TestServer;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'uniferum-originals-'));
  server = await startTestServer();
});
afterAll(async () => {
  rmSync(folder, { recursive: true, force: true });
  await server.close();
});

/** A photograph that says where it was taken, by which camera, and whose it is. */
async function telling(seed: number): Promise<Buffer> {
  const path = join(folder, `${seed}.jpg`);
  const thumbnail = join(folder, 'thumbnail.jpg');
  writeFileSync(path, await photo(300, 200, seed));
  writeFileSync(
    thumbnail,
    await sharp({ create: { width: 80, height: 60, channels: 3, background: '#a03020' } })
      .jpeg()
      .toBuffer(),
  );
  execFileSync('exiftool', [
    ...['-q', '-overwrite_original', '-EXIF:GPSLatitude=58.12', '-EXIF:GPSLatitudeRef=N'],
    ...['-EXIF:SerialNumber=SN-4711', '-EXIF:Artist=Isbel Crane', `-ThumbnailImage<=${thumbnail}`, path],
  ]);
  return execFileSync('cat', [path]);
}

async function upload(
  path: string,
  name: string,
  data: Buffer,
): Promise<{ id: string; url: string; download: string }> {
  const { status, body } = await server.call('POST', `${api}/assets`, { body: form(path, [{ name, data }]) });
  expect(status).toBe(201);
  return body;
}

function tagsOf(data: Buffer): Record<string, unknown> {
  const path = join(folder, 'fetched.bin');
  writeFileSync(path, data);
  return JSON.parse(execFileSync('exiftool', ['-j', '-G1', path], { encoding: 'utf8' }))[0];
}

const publicly = (url: string, headers: Record<string, string> = {}, method = 'GET') =>
  server.call(method, new URL(url).pathname, { key: null, headers });

async function folderId(path: string): Promise<string> {
  const { items } = (await server.call('GET', `${api}/folders?within=${path}&limit=1`)).body;
  return items[0].id;
}

const setAccess = (id: string, publicMetadata: string | null, headers: Record<string, string> = {}) =>
  server.call('PUT', `${api}/folders/${id}/access`, { json: { publicMetadata }, headers });

describe('a public original', () => {
  test('tells whose it is and nothing else, unless its folder says otherwise; with a key it is whole', async () => {
    const data = await telling(1);
    const asset = await upload('/public', 'telling.jpg', data);
    const shown = await publicly(asset.url);
    expect(shown.status).toBe(200);
    expect(shown.bytes.includes('SN-4711')).toBe(false);
    const tags = tagsOf(shown.bytes);
    expect(Object.keys(tags).filter((name) => /GPS|Serial|Thumbnail/.test(name))).toEqual([]);
    expect(tags['IFD0:Artist']).toBe('Isbel Crane');
    const [before, after] = await Promise.all(
      [data, shown.bytes].map((bytes) => sharp(bytes).raw().toBuffer()),
    );
    expect(before?.equals(after as Buffer)).toBe(true);
    const whole = await server.call('GET', new URL(asset.download).pathname);
    expect(whole.bytes.equals(data)).toBe(true);

    const id = await folderId('/public');
    await setAccess(id, 'none');
    const bare = await publicly(asset.url);
    expect(Object.keys(tagsOf(bare.bytes)).filter((name) => /Artist|GPS/.test(name))).toEqual([]);
    await setAccess(id, 'all');
    expect((await publicly(asset.url)).bytes.equals(data)).toBe(true);
    await setAccess(id, null);
    expect((await publicly(asset.url)).bytes.equals(shown.bytes)).toBe(true);
    const tagOf = (answer: { headers: Headers }) => answer.headers.get('etag');
    expect(new Set([tagOf(shown), tagOf(bare), tagOf(whole)]).size).toBe(3);
  });

  test('has ranges, conditions and a length like any other (RFC 9110 §13, §14)', async () => {
    const asset = await upload('/ranges', 'telling.jpg', await telling(2));
    const whole = await publicly(asset.url);
    const etag = whole.headers.get('etag') ?? '';
    expect(Number(whole.headers.get('content-length'))).toBe(whole.bytes.length);
    for (const [from, to] of [
      [0, 0],
      [0, 99],
      [10, 700],
      [whole.bytes.length - 5, whole.bytes.length - 1],
    ] as const) {
      const part = await publicly(asset.url, { Range: `bytes=${from}-${to}`, 'If-Range': etag });
      expect([part.status, part.headers.get('content-range')]).toEqual([
        206,
        `bytes ${from}-${to}/${whole.bytes.length}`,
      ]);
      expect(part.bytes.equals(whole.bytes.subarray(from, to + 1))).toBe(true);
    }
    expect((await publicly(asset.url, { 'If-None-Match': etag })).status).toBe(304);
    expect((await publicly(asset.url, { Range: `bytes=${whole.bytes.length}-` })).status).toBe(416);
    // The time of the original says nothing of what is shown of it.
    const later = new Date(Date.now() + 60_000).toUTCString();
    expect((await publicly(asset.url, { 'If-Modified-Since': later })).status).toBe(200);
  });

  test("whose metadata can't be taken out is not shown, and says why", async () => {
    const data = await photo(300, 200, 3);
    // Bytes between two segments: decoders go on behind them.
    const odd = Buffer.concat([data.subarray(0, 20), Buffer.from([1, 2, 3]), data.subarray(20)]);
    const asset = await upload('/odd', 'odd.jpg', odd);
    const { status, body } = await publicly(asset.url);
    expect([status, body.code]).toEqual([403, 'metadata-kept']);
    await setAccess(await folderId('/odd'), 'all');
    expect((await publicly(asset.url)).status).toBe(200);
  });

  test('of a type that holds no such metadata is sent as it is', async () => {
    const text = Buffer.from('SN-4711 stands in the text itself');
    const asset = await upload('/plain', 'a.txt', text);
    expect((await publicly(asset.url)).bytes.equals(text)).toBe(true);
  });

  test('is worked out once, and again when a server starts anew', async () => {
    const asset = await upload('/once', 'telling.jpg', await telling(4));
    const first = await publicly(asset.url);
    const [rows] = await server.db.query<unknown[]>('SELECT * FROM public_originals');
    const again = await publicly(asset.url);
    const [rowsAfter] = await server.db.query<unknown[]>('SELECT * FROM public_originals');
    expect(again.bytes.equals(first.bytes)).toBe(true);
    expect(rowsAfter.length).toBe(rows.length);
  });
});

describe('what a folder lets out', () => {
  test('is inherited, and says where it comes from', async () => {
    await server.call('POST', `${api}/folders`, { json: { path: '/a/b' } });
    const [a, b] = [await folderId('/a'), await folderId('/a/b')];
    const read = async (id: string) => (await server.call('GET', `${api}/folders/${id}/access`)).body;
    expect(await read(b)).toEqual({
      own: { visibility: null, publicMetadata: null },
      effective: {
        visibility: { value: 'public', from: null },
        publicMetadata: { value: 'rights', from: null },
      },
    });
    await setAccess(a, 'none');
    expect((await read(b)).effective.publicMetadata).toEqual({ value: 'none', from: '/a' });
    await setAccess(b, 'all');
    expect(await read(b)).toEqual({
      own: { visibility: null, publicMetadata: 'all' },
      effective: {
        visibility: { value: 'public', from: null },
        publicMetadata: { value: 'all', from: '/a/b' },
      },
    });
  });

  test("is changed by who may change rules, and not over somebody else's change", async () => {
    const id = await folderId('/a');
    const stale = (await server.call('GET', `${api}/folders/${id}/access`)).headers.get('etag') ?? '';
    expect((await setAccess(id, 'rights', { 'If-Match': stale })).status).toBe(200);
    expect((await setAccess(id, 'none', { 'If-Match': stale })).status).toBe(412);
    expect((await setAccess(id, 'everything')).status).toBe(400);
    expect((await setAccess('999999', 'none')).status).toBe(404);
    const key = await server.key(['library:read', 'library:write']);
    const refused = await server.call('PUT', `${api}/folders/${id}/access`, {
      key,
      json: { publicMetadata: 'all' },
    });
    expect(refused.status).toBe(403);
  });
});

test('a rendition with all metadata has no preview of what its source showed', async () => {
  const made = await server.call('POST', `${api}/recipes`, {
    json: recipe('corner', '/previews', 60, {
      steps: [{ op: 'crop', left: 0, top: 0, width: 60, height: 60 }],
      output: { format: 'jpeg', quality: 80, metadata: 'all' },
    }),
  });
  expect(made.status).toBe(201);
  const asset = await upload('/previews', 'telling.jpg', await telling(5));
  await server.workUntilIdle();
  const { renditions } = (await server.call('GET', `${api}/assets/${asset.id}`)).body;
  const shown = await publicly(renditions[0].url);
  const tags = tagsOf(shown.bytes);
  expect(Object.keys(tags).filter((name) => /Thumbnail|Preview|IFD1/.test(name))).toEqual([]);
  expect(tags['ExifIFD:SerialNumber']).toBe('SN-4711');
});

/** Sends a request to one of the names of a server. */
function get(
  port: string,
  host: string,
  path: string,
): Promise<{ status: number; headers: NodeJS.Dict<string | string[]> }> {
  return new Promise((resolve, reject) => {
    request({ host: '127.0.0.1', port, path, headers: { Host: host } }, (res) => {
      res.resume();
      resolve({ status: res.statusCode ?? 0, headers: res.headers });
    })
      .on('error', reject)
      .end();
  });
}

test('a script that somebody sent is text where the console is', async () => {
  const asset = await upload('/scripts', 'evil.js', Buffer.from('alert(document.cookie)'));
  for (const answer of [
    await publicly(asset.url),
    await server.call('GET', new URL(asset.download).pathname),
  ]) {
    expect(answer.headers.get('content-type')).toBe('text/plain; charset=utf-8');
    expect(answer.headers.get('x-content-type-options')).toBe('nosniff');
  }
});

test('media with an origin of their own are served there and nowhere else, and nothing else is', async () => {
  const apart = await startTestServer({ env: { UNIFERUM_MEDIA_URL: 'http://media.skerry.example' } });
  try {
    const { body: asset } = await apart.call('POST', `${api}/assets`, {
      body: form('/apart', [{ name: 'a.js', data: Buffer.from('let a = 1') }]),
    });
    expect(asset.url).toBe('http://media.skerry.example/media/apart/a.js');
    const { port, host } = new URL(apart.url);
    const shown = await get(port, 'media.skerry.example', '/media/apart/a.js');
    expect([shown.status, shown.headers['content-type']]).toEqual([200, 'text/javascript; charset=utf-8']);
    for (const path of ['/', `${api}/me`, `${api}/openapi.json`, '/assets/index.js'])
      expect((await get(port, 'media.skerry.example', path)).status, path).toBe(404);
    expect((await get(port, 'media.skerry.example', '/health/live')).status).toBe(204);
    const led = await get(port, host, '/media/apart/a.js?x=1');
    expect([led.status, led.headers.location]).toEqual([
      308,
      'http://media.skerry.example/media/apart/a.js?x=1',
    ]);
    const policy = (await get(port, host, `${api}/openapi.json`)).headers['content-security-policy'];
    expect(policy).toContain(
      `img-src 'self' data: blob: ${new URL(apart.url).origin} http://media.skerry.example`,
    );
  } finally {
    await apart.close();
  }
});
