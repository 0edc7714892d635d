import { execFileSync } from 'node:child_process';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { hashDistance, perceptualHash } from '@uniferum/core/library';
import fc from 'fast-check';
import sharp, { type Sharp } from 'sharp';
import * as published from 'sharp-phash';
import { afterAll, beforeAll, describe, expect, inject, test } from 'vitest';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { recountFacets } from './facet-queries.js';

let server: TestServer;
const api = '/api/v1';

const ASSETS = [
  {
    folder: '/a',
    name: 'storm-1.jpg',
    size: [300, 200],
    alt: 'A storm',
    keywords: 'storm, sea',
    credit: 'Edda Farrow',
  },
  { folder: '/a', name: 'storm-2.jpg', size: [200, 300], keywords: 'storm', title: 'The great storm' },
  { folder: '/a/deep', name: 'calm.jpg', size: [160, 160], alt: 'Still water', caption: 'No storm today' },
  { folder: '/b', name: 'fog.txt', text: 'fog in the sound, long enough to be larger than others' },
  { folder: '/b', name: 'empty-handed.txt', text: 'x', credit: 'Tam Hollin' },
] as const;

beforeAll(async () => {
  server = await startTestServer();
  let seed = 0;
  for (const { folder, name, ...asset } of ASSETS) {
    const data =
      'size' in asset ? await photo(asset.size[0], asset.size[1], ++seed) : Buffer.from(asset.text);
    const { size: _, text: __, ...fields } = { size: null, text: null, ...asset };
    await server.call('POST', `${api}/assets`, {
      body: form(folder, [{ name, data }], fields as Record<string, string>),
    });
  }
  const [first] = (await find('storm-1')).items as { id: string }[];
  if (first)
    await server.call('PATCH', `${api}/assets/${first.id}`, { json: { capturedAt: '2025-06-15T12:00:00Z' } });
  await server.call('POST', `${api}/recipes`, {
    json: { name: 'wide', title: 'Wide', steps: [{ op: 'fit', width: 100, mode: 'inside' }] },
  });
  await server.workUntilIdle();
});
afterAll(() => server.close());

async function find(
  q: string,
  more = '',
): Promise<{ items: { id: string; name: string }[]; total: number; next: string | null }> {
  const { status, body } = await server.call(
    'GET',
    `${api}/assets?folder=/&deep=true&sort=name&q=${encodeURIComponent(q)}${more}`,
  );
  if (status !== 200) throw new Error(body.detail);
  return body;
}
const names = async (q: string) => (await find(q)).items.map(({ name }) => name.replace(/\.\w+$/, ''));

describe('a filter', () => {
  test.each([
    ['', ['calm', 'empty-handed', 'fog', 'storm-1', 'storm-2']],
    ['storm', ['calm', 'storm-1', 'storm-2']],
    ['sto*', ['calm', 'storm-1', 'storm-2']],
    ['"great storm"', ['storm-2']],
    ['kind:image', ['calm', 'storm-1', 'storm-2']],
    ['type:txt', ['empty-handed', 'fog']],
    ['folder:/a', ['calm', 'storm-1', 'storm-2']],
    ['size<20', ['empty-handed']],
    ['size:2..100', ['fog']],
    ['width>=200', ['storm-1', 'storm-2']],
    ['height:300', ['storm-2']],
    ['ratio:landscape', ['storm-1']],
    ['ratio:square', ['calm']],
    ['ratio:2:3', ['storm-2']],
    ['alt:none', ['empty-handed', 'fog', 'storm-2']],
    ['alt:any', ['calm', 'storm-1']],
    ['alt:still', ['calm']],
    ['caption:storm', ['calm']],
    ['credit:none', ['calm', 'fog', 'storm-2']],
    ['credit:edda', ['storm-1']],
    ['keyword:storm', ['storm-1', 'storm-2']],
    ['keyword:none', ['calm', 'empty-handed', 'fog']],
    ['captured:2025-06', ['storm-1']],
    ['captured>2025-06', []],
    ['captured:none', ['calm', 'empty-handed', 'fog', 'storm-2']],
    ['added:today', ['calm', 'empty-handed', 'fog', 'storm-1', 'storm-2']],
    ['updated:today', ['calm', 'empty-handed', 'fog', 'storm-1', 'storm-2']],
    ['updated<2026-01-01', []],
    ['used:yes', []],
    ['used:no kind:image', ['calm', 'storm-1', 'storm-2']],
    ['recipe:wide', ['calm', 'storm-1', 'storm-2']],
    ['recipe:wide=failed', []],
    [
      inject('homeBucket') ? 'copy:bucket' : 'copy:server',
      ['calm', 'empty-handed', 'fog', 'storm-1', 'storm-2'],
    ],
    ['duplicate:yes', []],
    ['storm not keyword:storm', ['calm']],
    ['(ratio:square or type:txt) not credit:any', ['calm', 'fog']],
    ['kind:image alt:none or fog', ['fog', 'storm-2']],
  ])('%s finds the right ones', async (q, expected) => {
    expect(await names(q)).toEqual(expected);
    expect((await find(q)).total).toBe(expected.length);
  });

  test('by digest finds the file with these bytes, whole or from its beginning', async () => {
    const { items } = await find('fog type:txt');
    const { sha256 } = items[0] as unknown as { sha256: string };
    for (const q of [`sha256:${sha256}`, `sha256:${sha256.slice(0, 8).toUpperCase()}`]) {
      expect(await names(q)).toEqual(['fog']);
      expect((await find(q)).total).toBe(1);
    }
    expect(await names('sha256:00000000')).toEqual([]);
    expect(await names(`not sha256:${sha256}`)).not.toContain('fog');
  });

  test("that can't be read answers with the place and a suggestion", async () => {
    const { status, body } = await server.call('GET', `${api}/assets?q=fog%20knd:image`);
    expect([status, body.errors[0]]).toEqual([
      400,
      expect.objectContaining({ field: 'q', position: 4, length: 4, suggestion: 'fog kind:image' }),
    ]);
    expect(body.detail).toBe(
      'Invalid filter at character 5: unknown field "knd"; did you mean kind? Perhaps: fog kind:image',
    );
    const unknown = await server.call('GET', `${api}/assets?q=bogus:1`);
    expect(unknown.body.detail).toMatch(/search for them\.$/);
  });

  test('is paged without a gap, and each page knows the total', async () => {
    const first = await find('kind:image', '&limit=2');
    const second = await find('kind:image', `&limit=2&cursor=${first.next}`);
    expect([first.total, second.total, second.next]).toEqual([3, 3, null]);
    expect([...first.items, ...second.items].map(({ name }) => name)).toEqual([
      'calm.jpg',
      'storm-1.jpg',
      'storm-2.jpg',
    ]);
  });

  test('keeps within the folder that is asked about', async () => {
    const { body } = await server.call('GET', `${api}/assets?folder=/a&deep=false&q=kind:image`);
    expect(body.total).toBe(2);
  });

  test('binds its values: what looks like SQL is text', async () => {
    expect((await find(`"'; DROP TABLE assets; --"`)).total).toBe(0);
    expect((await find('alt:"%"')).total).toBe(0);
    expect((await find('kind:image')).total).toBe(3);
  });
});

describe('counts', () => {
  const read = async () => {
    const [rows] = await server.db.query(
      'SELECT scope, name, items FROM facet_counts WHERE items <> 0 ORDER BY scope, name',
    );
    return rows;
  };

  test('are the same when they are counted afresh, after edits, the bin, a replacement and a restored version', async () => {
    const { items } = await find('storm-2 or fog or empty-handed');
    const [one, two, three] = items.map(({ id }) => id);
    await server.call('PATCH', `${api}/assets/${one}`, {
      json: { alt: 'Now it has one', keywords: ['new', 'Other'], name: 'renamed.txt' },
    });
    await server.call('DELETE', `${api}/assets/${two}`);
    await server.call('PUT', `${api}/assets/${three}/content`, {
      body: new Uint8Array(await photo(90, 70, 44)) as BodyInit,
    });
    await server.call('POST', `${api}/assets/${three}/versions/1/restore`);
    await server.call('DELETE', `${api}/assets/${one}`);
    await server.call('POST', `${api}/assets/${one}/restore`);
    const kept = await read();
    await recountFacets(server.db);
    expect(kept).toEqual(await read());
    await server.call('POST', `${api}/assets/${two}/restore`);
    await server.call('PATCH', `${api}/assets/${one}`, {
      json: { alt: null, keywords: [], name: items[0]?.name },
    });
  });

  test('of a filter agree with counting, for any sizes and bounds', async () => {
    const { total } = await find('');
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 0, max: 12_000 }),
        fc.integer({ min: 0, max: 12_000 }),
        async (a, b) => {
          const [low, high] = a < b ? [a, b] : [b, a];
          const within = (await find(`size:${low}..${high}`)).total;
          const outside = (await find(`size<${low} or size>${high}`)).total;
          expect(within + outside).toBe(total);
        },
      ),
      { numRuns: 25 },
    );
  });

  test('by facet follow the filter', async () => {
    const { body } = await server.call('GET', `${api}/assets/facets?q=storm`);
    expect(body.kinds).toEqual([{ name: 'image', items: 3 }]);
    expect(body.keywords).toEqual([
      { name: 'storm', items: 2 },
      { name: 'sea', items: 1 },
    ]);
    expect(body.captured).toEqual([{ name: '2025-06', items: 1 }]);
    const all = (await server.call('GET', `${api}/assets/facets`)).body;
    expect(all.kinds).toEqual([
      { name: 'image', items: 3 },
      { name: 'document', items: 2 },
    ]);
  });
});

test('filters are saved by name, once, and only those that can be read', async () => {
  const save = (json: object) => server.call('POST', `${api}/filters`, { json });
  const { status, body } = await save({ name: 'Without alt', q: 'kind:image alt:none' });
  expect(status).toBe(201);
  expect((await save({ name: 'Without alt', q: 'fog' })).status).toBe(409);
  expect((await save({ name: 'Broken', q: 'knd:image' })).status).toBe(400);
  expect((await server.call('GET', `${api}/filters`)).body.items).toHaveLength(1);
  expect((await server.call('DELETE', `${api}/filters/${body.id}`)).status).toBe(204);
  expect((await server.call('DELETE', `${api}/filters/${body.id}`)).status).toBe(404);
});

describe('pictures that look alike', () => {
  /** Something like a picture: soft shapes, not noise. */
  const scene = (seed: number, width = 400, height = 300) =>
    sharp(
      Buffer.from(
        `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 300"><defs><linearGradient id="g" x2="${(seed % 3) / 2}" y2="1"><stop stop-color="hsl(${seed * 47},60%,70%)"/><stop offset="1" stop-color="hsl(${seed * 91},50%,25%)"/></linearGradient></defs><rect width="400" height="300" fill="url(#g)"/><circle cx="${(seed * 83) % 400}" cy="${(seed * 57) % 300}" r="${30 + ((seed * 13) % 60)}" fill="#fff8"/><rect x="${(seed * 131) % 350}" y="${(seed * 29) % 200}" width="40" height="160" fill="#111a"/><path d="M0 ${200 + ((seed * 17) % 80)}Q200 ${150 + ((seed * 37) % 100)} 400 ${210 + ((seed * 7) % 60)}V300H0z" fill="#123c"/></svg>`,
      ),
    ).resize(width, height);

  const hashOf = async (picture: Sharp | Buffer) =>
    perceptualHash(
      await (Buffer.isBuffer(picture) ? sharp(picture) : sharp(await picture.png().toBuffer()))
        .resize(32, 32, { fit: 'fill' })
        .greyscale()
        .raw()
        .toBuffer(),
    );

  test('have near hashes after scaling, recompression, tone and monochrome, and others have not', async () => {
    const others: number[] = [];
    for (let seed = 1; seed <= 12; seed += 1) {
      const original = await scene(seed).png().toBuffer();
      const hash = await hashOf(original);
      const edits = [
        sharp(original).resize(150).jpeg({ quality: 60 }),
        sharp(original).greyscale().jpeg({ quality: 85 }),
        sharp(original).modulate({ brightness: 1.15 }).jpeg({ quality: 85 }),
      ];
      for (const edit of edits)
        expect(hashDistance(hash, await hashOf(await edit.toBuffer()))).toBeLessThanOrEqual(8);
      others.push(
        hashDistance(
          hash,
          await hashOf(
            await scene(seed + 100)
              .png()
              .toBuffer(),
          ),
        ),
      );
    }
    expect(Math.min(...others)).toBeGreaterThan(8);
  });

  test('agree with a published perceptual hash on which of two pictures is nearer', async () => {
    // The library "sharp-phash", a 64-bit DCT hash in text of ones and zeros.
    const original = await scene(3).png().toBuffer();
    const near = await sharp(original).resize(200).jpeg({ quality: 70 }).toBuffer();
    const far = await scene(8).png().toBuffer();
    const phash = (published as unknown as { default: (picture: Buffer) => Promise<string> }).default;
    const theirs = async (picture: Buffer) => {
      const [a, b] = [await phash(original), await phash(picture)];
      return [...a].filter((bit, at) => bit !== b[at]).length;
    };
    const ours = async (picture: Buffer) => hashDistance(await hashOf(original), await hashOf(picture));
    expect((await theirs(near)) < (await theirs(far))).toBe(true);
    expect((await ours(near)) < (await ours(far))).toBe(true);
  });

  test('are found by near:, grouped, and the same bytes are duplicates', async () => {
    const original = await scene(5).jpeg({ quality: 90 }).toBuffer();
    const smaller = await sharp(original).resize(200).jpeg({ quality: 70 }).toBuffer();
    const other = await scene(31).jpeg().toBuffer();
    const ids: string[] = [];
    for (const [name, data] of [
      ['look-1.jpg', original],
      ['look-2.jpg', smaller],
      ['look-3.jpg', other],
      ['look-4.jpg', original],
    ] as const)
      ids.push(
        (await server.call('POST', `${api}/assets`, { body: form('/look', [{ name, data }]) })).body.id,
      );
    await server.workUntilIdle();
    expect(await names(`near:${ids[0]},8`)).toEqual(['look-1', 'look-2', 'look-4']);
    expect(await names('duplicate:yes')).toEqual(['look-1', 'look-4']);
    const groups = async (query: string) =>
      (await server.call('GET', `${api}/assets/duplicates?${query}`)).body.groups.map(
        (group: { name: string }[]) => group.map(({ name }) => name),
      );
    expect(await groups('by=bytes')).toEqual([['look-1.jpg', 'look-4.jpg']]);
    expect(await groups('by=look&distance=8')).toContainEqual(['look-1.jpg', 'look-2.jpg', 'look-4.jpg']);
    await server.call('DELETE', `${api}/assets/${ids[3]}`);
    expect(await names('duplicate:yes')).toEqual([]);
    expect((await find(`near:${ids[0]},8`)).total).toBe(2);
  });
});

test('what is found is downloaded as it came: checked by an independent program', async () => {
  const [asset] = (await find('storm-1')).items;
  const { bytes } = await server.call('GET', `${api}/assets/${asset?.id}/content`);
  const folder = await mkdtemp(join(tmpdir(), 'uniferum-found-'));
  await writeFile(join(folder, 'a.jpg'), bytes);
  const [digest] = execFileSync('sha256sum', [join(folder, 'a.jpg')])
    .toString()
    .split(' ');
  expect(digest).toBe((await server.call('GET', `${api}/assets/${asset?.id}`)).body.sha256);
  await rm(folder, { recursive: true });
});
