import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
let id: string;
beforeAll(async () => {
  server = await startTestServer();
  const data = await sharp({ create: { width: 300, height: 200, channels: 3, background: '#2040c0' } })
    .composite([
      { input: { create: { width: 150, height: 100, channels: 3, background: '#e03020' } }, left: 0, top: 0 },
    ])
    .png()
    .toBuffer();
  id = (await server.call('POST', '/api/v1/assets', { body: form('/iiif', [{ name: 'a.png', data }]) })).body
    .id;
});
afterAll(() => server.close());

const get = (path: string, headers: Record<string, string> = {}) =>
  server.call('GET', `/iiif/3/${id}${path}`, { key: null, headers });

async function look(path: string) {
  const answer = await get(path);
  expect([answer.status, path]).toEqual([200, path]);
  const { data, info } = await sharp(answer.bytes).removeAlpha().raw().toBuffer({ resolveWithObject: true });
  return {
    size: [info.width, info.height],
    at: (x: number, y: number) => [
      ...data.subarray((y * info.width + x) * info.channels, (y * info.width + x) * info.channels + 3),
    ],
    answer,
  };
}

const isRed = ([r = 0, , b = 0]: number[]) => r > 150 && b < 90;

// Source: IIIF Image API 3.0, sections 2–5, and its compliance document for level 2.
describe('level 2', () => {
  test('the base address leads to the description, which anyone may read', async () => {
    const base = await get('');
    expect([base.status, base.headers.get('location')]).toEqual([
      303,
      `${server.url}/iiif/3/${id}/info.json`,
    ]);
    const info = await get('/info.json');
    expect(info.headers.get('access-control-allow-origin')).toBe('*');
    expect(info.body).toMatchObject({
      id: `${server.url}/iiif/3/${id}`,
      profile: 'level2',
      width: 300,
      height: 200,
    });
    const linked = await get('/info.json', { Accept: 'application/ld+json' });
    expect(linked.headers.get('content-type')).toMatch(
      /^application\/ld\+json;\s*profile="http:\/\/iiif.io\/api\/image\/3\/context.json"/,
    );
  });

  test.each([
    ['/full/max/0/default.jpg', [300, 200]],
    ['/square/max/0/default.jpg', [200, 200]],
    ['/0,0,150,100/max/0/default.jpg', [150, 100]],
    ['/pct:50,50,50,50/max/0/default.png', [150, 100]],
    ['/full/150,/0/default.jpg', [150, 100]],
    ['/full/,50/0/default.jpg', [75, 50]],
    ['/full/pct:10/0/default.jpg', [30, 20]],
    ['/full/60,90/0/default.jpg', [60, 90]],
    ['/full/!60,60/0/default.jpg', [60, 40]],
    ['/full/max/90/default.jpg', [200, 300]],
    ['/full/max/45/default.png', [354, 354]],
    ['/full/max/0/gray.webp', [300, 200]],
  ])('%s has its size', async (path, size) => {
    expect((await look(path)).size).toEqual(size);
  });

  test('enlarging beyond the picture needs a key; the description says so', async () => {
    expect((await get('/full/^600,/0/default.jpg')).status).toBe(401);
    const { bytes } = await server.call('GET', `/iiif/3/${id}/full/^600,/0/default.jpg`);
    expect(await sharp(bytes).metadata()).toMatchObject({ width: 600, height: 400 });
    expect((await get('/info.json')).body.extraFeatures).not.toContain('sizeUpscaling');
    expect((await server.call('GET', `/iiif/3/${id}/info.json`)).body.extraFeatures).toContain(
      'sizeUpscaling',
    );
  });

  test('parts, turns and mirrors show what they should', async () => {
    const part = await look('/pct:0,0,50,50/max/0/default.png');
    expect(isRed(part.at(75, 50))).toBe(true);
    const turned = await look('/full/max/90/default.png');
    expect([isRed(turned.at(195, 5)), isRed(turned.at(5, 5))]).toEqual([true, false]);
    const mirrored = await look('/full/max/!0/default.png');
    expect([isRed(mirrored.at(295, 5)), isRed(mirrored.at(5, 5))]).toEqual([true, false]);
    const grey = await look('/full/max/0/gray.png');
    expect(new Set(grey.at(5, 5)).size).toBe(1);
    const bitonal = await look('/full/max/0/bitonal.png');
    expect(
      [...bitonal.at(5, 5), ...bitonal.at(295, 195)].every((value) => value === 0 || value === 255),
    ).toBe(true);
  });

  test('the canonical address is named, and the answer can be asked for again', async () => {
    const { answer } = await look('/pct:0,0,100,100/150,100/0/color.jpg');
    expect(answer.headers.get('link')).toContain(
      `<${server.url}/iiif/3/${id}/full/150,100/0/default.jpg>;rel="canonical"`,
    );
    const again = await get('/full/150,100/0/default.jpg', {
      'If-None-Match': answer.headers.get('etag') ?? '',
    });
    expect(again.status).toBe(304);
  });

  test('the description has a validator, which differs by what is asked for', async () => {
    const info = await get('/info.json');
    const etag = info.headers.get('etag') ?? '';
    expect([etag, info.headers.get('vary')]).toEqual([
      expect.stringMatching(/^"\w+"$/),
      expect.stringContaining('Accept'),
    ]);
    expect((await get('/info.json', { 'If-None-Match': etag })).status).toBe(304);
    const known = await server.call('GET', `/iiif/3/${id}/info.json`, { headers: { 'If-None-Match': etag } });
    expect(known.status).toBe(200);
  });

  // Source: section 4.7 (Canonical URI Syntax): the size is ^max when it is the largest of those that are enlarged.
  test('the canonical form of the largest enlarged size says so', async () => {
    const { headers } = await server.call('GET', `/iiif/3/${id}/full/^max/0/default.jpg`);
    expect(headers.get('link')).toContain('/full/^max/0/default.jpg>;rel="canonical"');
    const same = await server.call('GET', `/iiif/3/${id}/full/^2048,1365/0/default.jpg`);
    expect(same.headers.get('link')).toContain('/full/^max/0/default.jpg>;rel="canonical"');
    const less = await server.call('GET', `/iiif/3/${id}/full/^2000,/0/default.jpg`);
    expect(less.headers.get('link')).toContain('/full/^2000,1333/0/default.jpg>;rel="canonical"');
  });

  test('turned by nearly 180°, nothing lies elsewhere than turned by 180°', async () => {
    const exact = await look('/full/max/180/default.png');
    for (const degrees of ['179.99', '180.01']) {
      const { at } = await look(`/full/max/${degrees}/default.png`);
      // The corner where the colours meet, to the pixel.
      for (const [x, y] of [
        [149, 99],
        [150, 99],
        [149, 100],
        [150, 100],
      ] as const)
        expect([degrees, x, y, isRed(at(x, y))]).toEqual([degrees, x, y, isRed(exact.at(x, y))]);
    }
  });

  test.each([
    ['/full/301,/0/default.jpg', 'size'],
    ['/300,0,5,5/max/0/default.jpg', 'region'],
    ['/full/max/361/default.jpg', 'rotation'],
    ['/full/max/0/sepia.jpg', 'quality'],
    ['/full/max/0/default.tif', 'format'],
    ['/full/max/0/default', 'format'],
  ])('%s is refused with the part that is wrong', async (path, field) => {
    const answer = await get(path);
    expect([answer.status, answer.body.errors[0].field]).toEqual([400, field]);
  });

  test('what is no picture, or is in the bin, is not there', async () => {
    const note = await server.call('POST', '/api/v1/assets', {
      body: form('/iiif', [{ name: 'a.txt', data: Buffer.from('text') }]),
    });
    expect((await server.call('GET', `/iiif/3/${note.body.id}/info.json`, { key: null })).status).toBe(404);
    const other = await server.call('POST', '/api/v1/assets', {
      body: form('/iiif', [{ name: 'b.jpg', data: await photo(60, 40) }]),
    });
    await server.call('DELETE', `/api/v1/assets/${other.body.id}`);
    expect(
      (await server.call('GET', `/iiif/3/${other.body.id}/full/max/0/default.jpg`, { key: null })).status,
    ).toBe(404);
  });
});
