import { RENDITION_STATES } from '@uniferum/core/recipes';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { brokenPng, form, photo, startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
  await server.call('POST', '/api/v1/recipes', { json: wide(800) });
  await server.call('POST', '/api/v1/recipes', {
    json: {
      name: 'tile',
      title: 'Tile',
      steps: [{ op: 'fit', mode: 'cover', width: 60, height: 60 }],
      output: { format: 'webp' },
    },
  });
});
afterAll(() => server.close());

const wide = (width: number) => ({
  name: 'wide',
  title: 'Wide',
  steps: [{ op: 'fit', mode: 'inside', width }],
  output: { format: 'jpeg', quality: 80 },
});

async function addPicture(folder: string, name: string, seed: number) {
  return (
    await server.call('POST', '/api/v1/assets', {
      body: form(folder, [{ name, data: await photo(1200, 800, seed) }]),
    })
  ).body;
}

const states = async (id: string) =>
  Object.fromEntries(
    (await server.call('GET', `/api/v1/assets/${id}`)).body.renditions.map(
      ({ recipe, state }: { recipe: string; state: string }) => [recipe, state],
    ),
  );

test('a picture that arrives is due, shows its original meanwhile, and becomes fresh', async () => {
  const { id } = await addPicture('/arrive', 'a.jpg', 1);
  expect(await states(id)).toEqual({ tile: 'due', wide: 'due' });
  const early = await server.call('GET', '/media/arrive/a~wide.jpg', { key: null });
  expect([early.status, early.headers.get('location')]).toEqual([302, `${server.url}/media/arrive/a.jpg`]);
  await server.workUntilIdle();
  const { body } = await server.call('GET', `/api/v1/assets/${id}`);
  expect(
    body.renditions.map(({ recipe, state, width, height, mime }: Record<string, unknown>) => [
      recipe,
      state,
      width,
      height,
      mime,
    ]),
  ).toEqual([
    ['tile', 'fresh', 60, 60, 'image/webp'],
    ['wide', 'fresh', 800, 533, 'image/jpeg'],
  ]);
  expect(body.placeholder).toMatch(/^data:image\/webp;base64,/);
  for (const { url, bytes } of body.renditions) {
    const { status, bytes: data } = await server.call('GET', url.slice(server.url.length), { key: null });
    expect([status, data.length]).toEqual([200, bytes]);
  }
});

test('two pictures that differ only in their extension have renditions at addresses of their own', async () => {
  const first = await addPicture('/twins', 'dusk.jpg', 2);
  const second = await addPicture('/twins', 'dusk.png', 3);
  await server.workUntilIdle();
  const urls = await Promise.all(
    [first, second].map(
      async ({ id }) => (await server.call('GET', `/api/v1/assets/${id}`)).body.renditions[1].url,
    ),
  );
  expect(urls).toEqual([
    `${server.url}/media/twins/dusk~wide.jpg`,
    `${server.url}/media/twins/dusk.png~wide.jpg`,
  ]);
});

test('the old address of a rendition forwards after a rename', async () => {
  const { id } = await addPicture('/renamed', 'before.jpg', 4);
  await server.workUntilIdle();
  await server.call('PATCH', `/api/v1/assets/${id}`, { json: { name: 'after.jpg' } });
  expect((await server.call('GET', '/media/renamed/before~wide.jpg')).headers.get('location')).toBe(
    `${server.url}/media/renamed/after~wide.jpg`,
  );
  expect((await server.call('GET', '/media/renamed/after~wide.jpg', { key: null })).status).toBe(200);
});

test('a picture that can be read but not decoded fails with its reason, and nothing else does', async () => {
  const data = await brokenPng(1200, 800, 5);
  const { id } = (
    await server.call('POST', '/api/v1/assets', { body: form('/cut', [{ name: 'broken.png', data }]) })
  ).body;
  await server.workUntilIdle();
  expect(await states(id)).toEqual({ tile: 'failed', wide: 'failed' });
  const [run] = (await server.call('GET', '/api/v1/runs')).body.items;
  expect(run).toMatchObject({ state: 'faulty', failed: 1 });
  const { items } = (await server.call('GET', `/api/v1/runs/${run.id}/items?state=failed`)).body;
  expect(items[0].error).toMatch(/^broken\.png can't be decoded: .+ Open it in an image editor/);
  expect((await server.call('GET', '/media/cut/broken~wide.png')).status).toBe(302);
});

describe('a changed recipe', () => {
  test('leaves what it made outdated but visible, and a rebuild makes it fresh', async () => {
    const { id } = await addPicture('/change', 'a.jpg', 6);
    await server.workUntilIdle();
    const { name: _name, ...changed } = wide(500);
    expect((await server.call('PUT', '/api/v1/recipes/wide', { json: changed })).body.revision).toBe(2);
    expect((await states(id)).wide).toBe('outdated');
    expect((await server.call('GET', '/media/change/a~wide.jpg', { key: null })).status).toBe(200);

    const rehearsal = await server.call('POST', '/api/v1/recipes/rebuild?rehearse=true', {
      json: { recipes: ['wide'], only: 'outdated' },
    });
    expect([rehearsal.status, (await states(id)).wide]).toEqual([200, 'outdated']);
    const { status, body } = await server.call('POST', '/api/v1/recipes/rebuild', {
      json: { recipes: ['wide'], only: 'outdated' },
    });
    expect([status, body.run.total]).toEqual([202, rehearsal.body.plan.totals.assets]);
    await server.workUntilIdle();
    expect((await server.call('GET', `/api/v1/assets/${id}`)).body.renditions[1]).toMatchObject({
      state: 'fresh',
      width: 500,
    });
    const recipe = (await server.call('GET', '/api/v1/recipes/wide')).body;
    expect(recipe.renditions.outdated).toBe(0);
  });

  test('a rebuild of nothing ends at once', async () => {
    const { body } = await server.call('POST', '/api/v1/recipes/rebuild', { json: { only: 'outdated' } });
    expect(body.run).toMatchObject({ state: 'done', total: 0 });
  });

  test('a new one makes the library due, a removed one leaves its files at their addresses', async () => {
    const { id } = await addPicture('/later', 'a.jpg', 7);
    await server.call('POST', '/api/v1/recipes', {
      json: { name: 'later', title: 'Later', steps: [{ op: 'fit', mode: 'inside', width: 100 }] },
    });
    expect((await states(id)).later).toBe('due');
    await server.call('POST', '/api/v1/recipes/rebuild', { json: { recipes: ['later'] } });
    await server.workUntilIdle();
    await server.call('DELETE', '/api/v1/recipes/later');
    expect((await states(id)).later).toBe('surplus');
    expect((await server.call('GET', '/media/later/a~later.jpg', { key: null })).status).toBe(200);
  });

  test('counts agree with a recount', async () => {
    const recipes = (await server.call('GET', '/api/v1/recipes')).body.items;
    for (const { name, renditions } of recipes) {
      const [rows] = await server.db.query(
        'SELECT state, COUNT(*) AS n FROM renditions JOIN assets ON assets.id = asset_id WHERE recipe = ? AND live = 1 GROUP BY state',
        [name],
      );
      const counted = Object.fromEntries(
        (rows as { state: string; n: number }[]).map(({ state, n }) => [state, n]),
      );
      const none = Object.fromEntries(RENDITION_STATES.map((state) => [state, 0]));
      expect(renditions).toEqual({ ...none, ...counted });
    }
  });
});

test('another focal point has the crop made again', async () => {
  const { id } = await addPicture('/focal', 'a.jpg', 8);
  await server.workUntilIdle();
  const before = (await server.call('GET', '/media/focal/a~tile.webp', { key: null })).bytes;
  await server.call('PATCH', `/api/v1/assets/${id}`, { json: { focal: { x: 0, y: 0 } } });
  expect((await states(id)).tile).toBe('outdated');
  await server.workUntilIdle();
  expect((await server.call('GET', '/media/focal/a~tile.webp', { key: null })).bytes.equals(before)).toBe(
    false,
  );
});

test.each([
  ['a name that cannot stand in an address', { ...wide(1), name: 'Wide!' }],
  ['a step without a size', { name: 'x', title: 'x', steps: [{ op: 'fit', mode: 'inside' }] }],
  ['a crop without a box', { name: 'x', title: 'x', steps: [{ op: 'fit', mode: 'cover', width: 9 }] }],
  ['an unknown step', { name: 'x', title: 'x', steps: [{ op: 'explode' }] }],
  [
    'a target of bytes and of likeness',
    { name: 'x', title: 'x', steps: [], output: { maxBytes: 9000, likeness: 0.9 } },
  ],
  ['a name that stands in our own addresses', { ...wide(1), name: 'matrix' }],
])('%s is refused', async (_what, json) => {
  const { status, body } = await server.call('POST', '/api/v1/recipes', { json });
  expect([status, body.errors.length > 0]).toEqual([400, true]);
});

test('a rendition made "at once" is waited for by whoever asks for it', async () => {
  await server.call('POST', '/api/v1/recipes', {
    json: {
      name: 'now',
      title: 'Now',
      when: 'at-once',
      folders: ['/now'],
      steps: [{ op: 'fit', mode: 'inside', width: 90 }],
    },
  });
  await addPicture('/now', 'a.jpg', 9);
  const asked = server.call('GET', '/media/now/a~now.jpg', { key: null });
  await server.workUntilIdle();
  expect((await asked).status).toBe(200);
});
