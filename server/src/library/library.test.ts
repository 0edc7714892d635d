import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { findBroken } from '../house/invariants.js';
import { recipe } from '../testing/derived.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

const text = (content: string) => new TextEncoder().encode(content);

async function put(folder: string, name: string, content = `${folder} ${name} ${Math.random()}`) {
  const { body } = await server.call('POST', '/api/v1/assets', {
    body: form(folder, [{ name, data: text(content) }]),
  });
  return body;
}

const pathOf = (url: string) => url.slice(server.url.length);

describe('folders', () => {
  test('are made with those above them, once', async () => {
    const made = await server.call('POST', '/api/v1/folders', { json: { path: 'lights/gannet/' } });
    expect([made.status, made.body.path]).toEqual([201, '/lights/gannet']);
    const again = await server.call('POST', '/api/v1/folders', { json: { path: '/lights/gannet' } });
    expect([again.status, again.body.code]).toEqual([409, 'conflict']);
    expect(
      (await server.call('GET', '/api/v1/folders')).body.items.map(({ path }: { path: string }) => path),
    ).toEqual(expect.arrayContaining(['/', '/lights', '/lights/gannet']));
  });

  test('count what is in them and below', async () => {
    await put('/count', 'a.txt', 'four');
    await put('/count/deep', 'b.txt', 'sixsix');
    const { items } = (await server.call('GET', '/api/v1/folders?within=/count')).body;
    expect(items[0]).toMatchObject({ path: '/count', items: 1, bytes: 4, deepItems: 2, deepBytes: 10 });
  });

  test('a renamed and moved folder leaves addresses that forward, however often it moves', async () => {
    const asset = await put('/old/place', 'map.txt', 'here');
    const folder = asset.folder.id;
    await server.call('POST', '/api/v1/folders', { json: { path: '/new' } });
    expect(
      (await server.call('PATCH', `/api/v1/folders/${folder}`, { json: { name: 'spot' } })).body.path,
    ).toBe('/old/spot');
    expect(
      (await server.call('PATCH', `/api/v1/folders/${folder}`, { json: { parent: '/new' } })).body.path,
    ).toBe('/new/spot');
    for (const old of ['/media/old/place/map.txt', '/media/old/spot/map.txt']) {
      const { status, headers } = await server.call('GET', old, { key: null });
      expect([status, headers.get('location')]).toEqual([308, `${server.url}/media/new/spot/map.txt`]);
    }
    expect((await server.call('GET', '/media/new/spot/map.txt', { key: null })).bytes.toString()).toBe(
      'here',
    );
  });

  test('an asset that was renamed before its folder moved is still found at its first address', async () => {
    const asset = await put('/first', 'one.txt', 'content');
    await server.call('PATCH', `/api/v1/assets/${asset.id}`, { json: { name: 'two.txt' } });
    await server.call('PATCH', `/api/v1/folders/${asset.folder.id}`, { json: { name: 'second' } });
    expect((await server.call('GET', '/media/first/one.txt')).headers.get('location')).toBe(
      `${server.url}/media/second/two.txt`,
    );
  });

  test('cannot be moved into themselves, onto another one, or away while something is in them', async () => {
    const asset = await put('/full/of', 'it.txt');
    const [of, parent] = [
      asset.folder.id,
      (await server.call('GET', `/api/v1/folders/${asset.folder.id}`)).body.parent,
    ];
    expect(
      (await server.call('PATCH', `/api/v1/folders/${parent}`, { json: { parent: '/full/of' } })).status,
    ).toBe(409);
    expect(
      (await server.call('PATCH', `/api/v1/folders/${of}`, { json: { parent: '/', name: 'full' } })).status,
    ).toBe(409);
    expect((await server.call('DELETE', `/api/v1/folders/${of}`)).status).toBe(409);
    expect((await server.call('DELETE', '/api/v1/folders/1')).status).toBe(409);
  });
});

describe('folders whose names the database could take for something else', () => {
  const pathsWithin = async (path: string) =>
    (await server.call('GET', `/api/v1/folders?within=${encodeURIComponent(path)}`)).body.items.map(
      (folder: { path: string }) => folder.path,
    );

  // Above U+FFFF, at the ends of what sorts behind a slash, and what LIKE takes for any character.
  test.each(['😀', '😀 lamp', '0', '!x', '\u{10FFFD}', 'a_b', '100%', '\uffee'])(
    'one called %j is found below its parent, keeps it, and moves with all that is in it',
    async (name) => {
      const parent = `/odd-${Math.random().toString(36).slice(2)}`;
      const asset = await put(`${parent}/${name}/inside/${name}`, 'a.txt');
      const { items } = (await server.call('GET', '/api/v1/folders')).body;
      const find = (path: string) =>
        items.find((folder: { path: string }) => folder.path === path) as { id: string };
      expect(await pathsWithin(parent)).toEqual([
        parent,
        `${parent}/${name}`,
        `${parent}/${name}/inside`,
        `${parent}/${name}/inside/${name}`,
      ]);
      expect((await server.call('DELETE', `/api/v1/folders/${find(parent).id}`)).status).toBe(409);
      const deep = await server.call('GET', `/api/v1/assets?folder=${encodeURIComponent(parent)}&deep=true`);
      expect(deep.body.items).toHaveLength(1);
      const moved = await server.call('PATCH', `/api/v1/folders/${find(`${parent}/${name}`).id}`, {
        json: { name: `moved ${name}` },
      });
      expect(moved.status).toBe(200);
      expect((await server.call('GET', `/api/v1/assets/${asset.id}`)).body.folder.path).toBe(
        `${parent}/moved ${name}/inside/${name}`,
      );
      expect((await server.call('GET', pathOf(asset.url), { key: null })).status).toBe(308);
      expect(await findBroken(server.db, server.store)).toEqual([]);
    },
  );

  test('a recipe of one applies to it and not to those that look like it', async () => {
    await server.call('POST', '/api/v1/recipes', { json: recipe('under', '/a_b', 20) });
    const picture = await photo(40, 30);
    for (const folder of ['/a_b', '/a_b/😀', '/axb', '/a_bc'])
      await server.call('POST', '/api/v1/assets', { body: form(folder, [{ name: 'a.jpg', data: picture }]) });
    await server.call('POST', '/api/v1/recipes', { json: recipe('later', '/a_b', 25) });
    const { items } = (await server.call('GET', '/api/v1/assets?folder=/&deep=true&q=type:jpg&limit=500'))
      .body;
    const recipesOf = (path: string) =>
      items
        .find(({ folder }: { folder: { path: string } }) => folder.path === path)
        .renditions.map((one: { recipe: string }) => one.recipe)
        .sort();
    expect(['/a_b', '/a_b/😀', '/axb', '/a_bc'].map(recipesOf)).toEqual([
      ['later', 'under'],
      ['later', 'under'],
      [],
      [],
    ]);
  });
});

describe('assets', () => {
  test('texts are edited, and an emptied one is unknown again', async () => {
    const { id } = await put('/texts', 'a.txt');
    const edited = await server.call('PATCH', `/api/v1/assets/${id}`, {
      json: {
        title: 'Dusk',
        alt: 'A tower',
        keywords: ['sea'],
        capturedAt: '2025-06-01T10:00:00+02:00',
        focal: { x: 0.25, y: 0.5 },
      },
    });
    expect(edited.body).toMatchObject({
      title: 'Dusk',
      alt: 'A tower',
      keywords: ['sea'],
      capturedAt: '2025-06-01T08:00:00.000Z',
      focal: { x: 0.25, y: 0.5 },
    });
    expect(
      (await server.call('PATCH', `/api/v1/assets/${id}`, { json: { title: '', capturedAt: null } })).body,
    ).toMatchObject({ title: null, alt: 'A tower', capturedAt: null });
  });

  test('a capture time is shown as on the camera, and a known offset remains until another is given', async () => {
    const { id } = await put('/texts', 'taken.txt');
    const change = async (capturedAt: string | null) =>
      (await server.call('PATCH', `/api/v1/assets/${id}`, { json: { capturedAt } })).body;
    const camera = { capturedAt: '2025-06-01T10:00:00.000Z', capturedLocal: '2025-06-01T10:00:00' };
    expect(await change('2025-06-01T10:00:00')).toMatchObject(camera);
    expect(await change('2025-06-01T10:00:00Z')).toMatchObject(camera);
    expect(await change('2025-06-01T23:30:00-02:30')).toMatchObject({
      capturedAt: '2025-06-02T02:00:00.000Z',
      capturedLocal: '2025-06-01T23:30:00-02:30',
    });
    expect(await change('2025-06-02T03:00:00Z')).toMatchObject({
      capturedAt: '2025-06-02T03:00:00.000Z',
      capturedLocal: '2025-06-02T00:30:00-02:30',
    });
    expect(await change('2025-06-01T10:00:00')).toMatchObject(camera);
    expect(await change(null)).toMatchObject({ capturedAt: null, capturedLocal: null });
    for (const wrong of ['yesterday', '2025-06-01T10:00:00+25:00', '0999-01-01T00:00:00Z'])
      expect((await change(wrong)).status, wrong).toBe(400);
  });

  test('a change of a state that is no longer current is refused', async () => {
    const { id } = await put('/texts', 'stale.txt');
    const etag = (await server.call('GET', `/api/v1/assets/${id}`)).headers.get('etag') ?? '';
    const edit = (title: string) =>
      server.call('PATCH', `/api/v1/assets/${id}`, { json: { title }, headers: { 'If-Match': etag } });
    expect((await edit('first')).status).toBe(200);
    expect((await edit('second')).status).toBe(412);
    expect((await server.call('GET', `/api/v1/assets/${id}`)).body.title).toBe('first');
  });

  test('a renamed one forwards, and its old address never means anything else', async () => {
    const first = await put('/names', 'a.txt', 'the first');
    await server.call('PATCH', `/api/v1/assets/${first.id}`, { json: { name: 'b.txt' } });
    const later = await put('/names', 'a.txt', 'the second');
    expect(later.name).toBe('a-2.txt');
    expect(later.verdict.reasons.map(({ code }: { code: string }) => code)).toContain('name-taken');
    expect((await server.call('GET', '/media/names/a.txt')).headers.get('location')).toBe(
      `${server.url}/media/names/b.txt`,
    );
    const back = await server.call('PATCH', `/api/v1/assets/${first.id}`, { json: { name: 'a.txt' } });
    expect(back.body.name).toBe('a.txt');
    expect((await server.call('GET', '/media/names/b.txt')).headers.get('location')).toBe(
      `${server.url}/media/names/a.txt`,
    );
    expect(
      (await server.call('PATCH', `/api/v1/assets/${later.id}`, { json: { name: 'b.txt' } })).status,
    ).toBe(409);
  });

  test('moving one asks the rules of the folder into which it goes', async () => {
    const { id, folder } = await put('/from', 'a.txt');
    const to = (await server.call('POST', '/api/v1/folders', { json: { path: '/to' } })).body;
    await server.call('PUT', `/api/v1/folders/${to.id}/rules`, { json: { allow: ['jpg'] } });
    const refused = await server.call('PATCH', `/api/v1/assets/${id}`, { json: { folder: '/to' } });
    expect([
      refused.status,
      refused.body.verdict.reasons[0].code,
      refused.body.verdict.reasons[0].folder,
    ]).toEqual([422, 'type-not-allowed', '/to']);
    await server.call('PUT', `/api/v1/folders/${to.id}/rules`, { json: {} });
    expect(
      (await server.call('PATCH', `/api/v1/assets/${id}`, { json: { folder: '/to' } })).body.folder.path,
    ).toBe('/to');
    expect((await server.call('GET', `/api/v1/folders/${folder.id}`)).body.items).toBe(0);
  });

  test('one in the bin is gone from its address and comes back whole', async () => {
    const asset = await put('/bin', 'a.txt', 'kept');
    expect((await server.call('DELETE', `/api/v1/assets/${asset.id}`)).status).toBe(204);
    expect((await server.call('GET', pathOf(asset.url))).status).toBe(404);
    expect((await server.call('GET', `/api/v1/assets/${asset.id}`)).status).toBe(404);
    expect((await server.call('GET', '/api/v1/assets?folder=/bin')).body.total).toBe(0);
    expect((await server.call('POST', `/api/v1/assets/${asset.id}/restore`)).body.url).toBe(asset.url);
    expect((await server.call('GET', pathOf(asset.url))).bytes.toString()).toBe('kept');
  });

  test('history tells what happened, newest first', async () => {
    const { id } = await put('/history', 'a.txt');
    await server.call('PATCH', `/api/v1/assets/${id}`, { json: { title: 'x' } });
    const { items, total } = (await server.call('GET', `/api/v1/assets/${id}/events`)).body;
    expect(items.map(({ type }: { type: string }) => type)).toEqual(['asset.changed', 'asset.created']);
    expect(total).toBe(2);
  });
});

/** Reads all pages of /paged in an order. @returns the ids in the order in which they came */
async function walk(sort: string, afterPage: (count: number) => Promise<void>): Promise<string[]> {
  const seen: string[] = [];
  let cursor: string | null = null;
  do {
    const position: string = cursor === null ? '' : `&cursor=${cursor}`;
    const page = await server.call(
      'GET',
      `/api/v1/assets?folder=/paged&deep=true&limit=4&sort=${encodeURIComponent(sort)}${position}`,
    );
    seen.push(...page.body.items.map(({ id }: { id: string }) => id));
    cursor = page.body.next;
    await afterPage(seen.length);
  } while (cursor !== null);
  return seen;
}

describe('lists', () => {
  test('walk every asset exactly once in every order, while others are added', async () => {
    for (let n = 0; n < 23; n += 1)
      await put(
        n % 3 === 0 ? '/paged' : '/paged/below',
        `${n % 2 ? 'B' : 'a'}${n}.txt`,
        'x'.repeat(1 + (n % 5)),
      );
    for (const sort of ['created', '-created', 'name', '-name', 'captured', '-captured', 'size', '-size']) {
      const before = (await server.call('GET', '/api/v1/assets?folder=/paged&deep=true')).body.items.map(
        ({ id }: { id: string }) => id,
      );
      const seen = await walk(sort, async (count) => {
        if (count === 8) await put('/paged', `late-${sort}.txt`);
      });
      expect(new Set(seen).size).toBe(seen.length);
      expect(seen).toEqual(expect.arrayContaining(before));
    }
  });

  test('are in the order that was asked for, whatever the folder', async () => {
    const { items } = (
      await server.call('GET', '/api/v1/assets?folder=/paged&deep=true&sort=-size&limit=100')
    ).body;
    const sizes = items.map(({ bytes }: { bytes: number }) => bytes);
    expect(sizes).toEqual([...sizes].sort((a: number, b: number) => b - a));
    const names = (await server.call('GET', '/api/v1/assets?sort=name&deep=true&limit=200')).body.items.map(
      ({ name }: { name: string }) => name.toLowerCase(),
    );
    expect(names).toEqual([...names].sort());
  });

  test('a cursor that was made up, changed, or given by another list, sort or filter is refused', async () => {
    const page = (query: string) => server.call('GET', `/api/v1/assets?deep=true&${query}`);
    const { next } = (await page('limit=1&sort=name')).body;
    expect((await page(`limit=3&sort=name&cursor=${next}`)).status).toBe(200);
    const [position, signature] = next.split('.');
    const changed = Buffer.from(position, 'base64url').toString().replace(/\d+/, '1');
    const forged = [
      'x',
      position,
      Buffer.from('[1]').toString('base64url'),
      `${Buffer.from(changed).toString('base64url')}.${signature}`,
      `${position}.${'A'.repeat(22)}`,
      `${next}x`,
    ];
    for (const cursor of forged) {
      const { status, body } = await page(`limit=1&sort=name&cursor=${cursor}`);
      expect([status, body.errors[0].code], cursor).toEqual([400, 'cursor-unknown']);
    }
    for (const query of ['sort=-name', 'sort=name&folder=/page', 'sort=name&q=kind:image'])
      expect((await page(`limit=1&${query}&cursor=${next}`)).status, query).toBe(400);
    expect((await server.call('GET', `/api/v1/bin?cursor=${next}`)).status).toBe(400);
  });
});

describe('downloads (RFC 9110 §13, §14)', () => {
  const content = 'abcdefghijklmnopqrstuvwxyz';
  let path: string;
  let media: string;
  beforeAll(async () => {
    const asset = await put('/ranges', 'alphabet möwe.txt', content);
    path = pathOf(asset.download);
    media = pathOf(asset.url);
  });

  test.each([
    ['bytes=0-4', 206, 'abcde', 'bytes 0-4/26'],
    ['bytes=24-', 206, 'yz', 'bytes 24-25/26'],
    ['bytes=-3', 206, 'xyz', 'bytes 23-25/26'],
    ['bytes=20-99', 206, 'uvwxyz', 'bytes 20-25/26'],
    ['bytes=0-0,5-6', 200, content, null],
    ['lines=1-2', 200, content, null],
    ['bytes=nonsense', 200, content, null],
  ])('Range: %s gives %i', async (range, status, expected, contentRange) => {
    const answer = await server.call('GET', path, { headers: { Range: range } });
    expect([answer.status, answer.bytes.toString(), answer.headers.get('content-range')]).toEqual([
      status,
      expected,
      contentRange,
    ]);
  });

  test('a range outside the file is not satisfiable', async () => {
    const { status, headers } = await server.call('GET', path, { headers: { Range: 'bytes=26-' } });
    expect([status, headers.get('content-range')]).toEqual([416, 'bytes */26']);
  });

  test('conditions spare the bytes', async () => {
    const { headers } = await server.call('GET', path);
    const etag = headers.get('etag') ?? '';
    expect(
      (await server.call('GET', path, { headers: { 'If-None-Match': `"other", W/${etag}` } })).status,
    ).toBe(304);
    expect(
      (
        await server.call('GET', path, {
          headers: { 'If-Modified-Since': headers.get('last-modified') ?? '' },
        })
      ).status,
    ).toBe(304);
    expect((await server.call('GET', path, { headers: { 'If-Match': '"other"' } })).status).toBe(412);
    expect(
      (
        await server.call('GET', path, { headers: { Range: 'bytes=0-1', 'If-Range': '"other"' } })
      ).bytes.toString(),
    ).toBe(content);
    expect(
      (
        await server.call('GET', path, { headers: { Range: 'bytes=0-1', 'If-Range': etag } })
      ).bytes.toString(),
    ).toBe('ab');
  });

  test('the name travels in both forms (RFC 6266 §4.3, RFC 8187)', async () => {
    expect((await server.call('GET', path)).headers.get('content-disposition')).toBe(
      `attachment; filename="alphabet m?we.txt"; filename*=UTF-8''alphabet%20m%C3%B6we.txt`,
    );
  });

  test('HEAD says the same without the bytes', async () => {
    const { status, headers, bytes } = await server.call('HEAD', media, { key: null });
    expect([status, headers.get('content-length'), bytes.length]).toEqual([200, '26', 0]);
  });

  test('what could run scripts does not run them on our origin', async () => {
    const page = await put('/hostile', 'page.html', '<html><script>alert(1)</script>');
    const drawing = await put(
      '/hostile',
      'drawing.svg',
      '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><script>alert(1)</script></svg>',
    );
    const html = await server.call('GET', pathOf(page.url), { key: null });
    expect(html.headers.get('content-disposition')).toMatch(/^attachment/);
    const svg = await server.call('GET', pathOf(drawing.url), { key: null });
    expect(svg.headers.get('content-security-policy')).toMatch(/default-src 'none'.*sandbox/);
    expect(svg.headers.get('x-content-type-options')).toBe('nosniff');
  });
});

test('kept counts stay true through any sequence of changes', async () => {
  const ids: string[] = [];
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.constantFrom('add', 'bin', 'restore', 'move'), { minLength: 5, maxLength: 12 }),
      async (steps) => {
        for (const step of steps) {
          const id = ids[Math.floor(ids.length / 2)];
          if (step === 'add' || id === undefined) ids.push((await put('/counter', `f${ids.length}.txt`)).id);
          else if (step === 'bin') await server.call('DELETE', `/api/v1/assets/${id}`);
          else if (step === 'restore') await server.call('POST', `/api/v1/assets/${id}/restore`);
          else await server.call('PATCH', `/api/v1/assets/${id}`, { json: { folder: '/counter/other' } });
        }
        const [counted] = (
          await server.db.query('SELECT COUNT(*) AS items, SUM(bytes) AS bytes FROM assets WHERE live = 1')
        )[0] as { items: number; bytes: string }[];
        const flow = (await server.call('GET', '/api/v1/flow')).body;
        expect(flow.library).toEqual({ items: counted?.items, bytes: Number(counted?.bytes) });
        expect(
          flow.kinds.reduce(
            (sum: number, { amount }: { amount: { items: number } }) => sum + amount.items,
            0,
          ),
        ).toBe(counted?.items);
        expect((await server.call('GET', '/api/v1/assets?folder=/&deep=true&limit=1')).body.total).toBe(
          counted?.items,
        );
      },
    ),
    { numRuns: 6, seed: 11 },
  );
});
