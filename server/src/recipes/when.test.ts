import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { type Atelier, openAtelier, recipe } from '../testing/derived.js';
import { eventually } from '../testing/harness.js';
import { tidyDerived } from './tidy.js';

let server: Atelier['server'];
let api: Atelier['api'];
let publicly: Atelier['publicly'];
let addPicture: Atelier['addPicture'];
let renditionsOf: Atelier['renditionsOf'];
let pathOf: Atelier['pathOf'];
beforeAll(async () => {
  ({ server, api, publicly, addPicture, renditionsOf, pathOf } = await openAtelier());
});
afterAll(() => server.close());

describe('when', () => {
  test('a recipe "at once" is in the answer of the upload, without a worker', async () => {
    await api('POST', '/recipes', recipe('now', '/now', 300, { when: 'at-once' }));
    const asset = await addPicture('/now', 'a.jpg', 1);
    expect(asset.renditions).toMatchObject([{ recipe: 'now', state: 'fresh', width: 300, height: 200 }]);
    expect((await publicly(pathOf(asset.renditions[0].url))).status).toBe(200);
  });

  test('a recipe "on request" is made when its address is first asked for, and left out by a rebuild of what is missing', async () => {
    await api('POST', '/recipes', recipe('asked', '/asked', 300, { when: 'on-request' }));
    const asset = await addPicture('/asked', 'a.jpg', 2);
    await server.workUntilIdle();
    expect(await renditionsOf(asset.id)).toEqual({ asked: 'on-request' });
    const { body } = await api('POST', '/recipes/rebuild?rehearse=true', { only: 'missing' });
    expect(body.plan.items.some((item: { recipe: string }) => item.recipe === 'asked')).toBe(false);
    const answer = await publicly('/media/asked/a~asked.jpg');
    expect([answer.status, answer.headers.get('content-type')]).toEqual([200, 'image/jpeg']);
    expect(await renditionsOf(asset.id)).toEqual({ asked: 'fresh' });
  });

  test('a recipe shows what it made: the smallest file that is large enough, of what came last', async () => {
    await api('POST', '/recipes', recipe('shown', '/shown', 600, { ladder: { widths: [120, 240] } }));
    const sample = async () => (await api('GET', '/recipes/shown')).body.sample;
    await addPicture('/shown', 'first.jpg', 4);
    expect(await sample()).toBeNull();
    await addPicture('/shown', 'last.jpg', 5);
    await server.workUntilIdle();
    const address = pathOf(await sample());
    expect(address).toMatch(/\/shown\/last~shown\./);
    expect((await sharp((await publicly(address)).bytes).metadata()).width).toBe(240);
    const { body } = await api('GET', '/recipes');
    expect(body.items.find(({ name }: { name: string }) => name === 'shown').sample).toBe(await sample());
  });

  test('what was not made yet follows a change of when its recipe makes it', async () => {
    const when = (moment: string) => ({
      ...recipe('turned', '/turned', 300, { when: moment }),
      name: undefined,
    });
    await api('POST', '/recipes', recipe('turned', '/turned', 300, { when: 'on-request' }));
    const asset = await addPicture('/turned', 'a.jpg', 9);
    const counts = async () => (await api('GET', '/recipes/turned')).body.renditions;
    expect(await counts()).toMatchObject({ due: 0, 'on-request': 1 });
    await api('PUT', '/recipes/turned', when('background'));
    expect(await renditionsOf(asset.id)).toEqual({ turned: 'due' });
    expect(await counts()).toMatchObject({ due: 1, 'on-request': 0 });
    await api('PUT', '/recipes/turned', when('on-request'));
    expect(await renditionsOf(asset.id)).toEqual({ turned: 'on-request' });
    // Whoever names the recipe wants what nobody has requested yet.
    const named = await api('POST', '/recipes/rebuild?rehearse=true', {
      recipes: ['turned'],
      only: 'missing',
    });
    expect(named.body.plan.totals.renditions).toBe(1);
  });

  test("a signed address makes anything, keeps it, and can't be altered", async () => {
    const asset = await addPicture('/signed', 'a.jpg', 3);
    const request = {
      steps: [{ op: 'fit', mode: 'cover', width: 60, height: 60 }, { op: 'sepia' }],
      output: { format: 'png' },
    };
    const { body } = await api('POST', `/assets/${asset.id}/address`, request);
    const first = await publicly(pathOf(body.url));
    expect(first.status).toBe(200);
    const { width, height, format } = await sharp(first.bytes).metadata();
    expect([width, height, format]).toEqual([60, 60, 'png']);
    expect((await publicly(pathOf(body.url))).bytes.equals(first.bytes)).toBe(true);
    const [[kept]] = (await server.db.query('SELECT COUNT(*) AS n FROM pictures_on_request')) as unknown as [
      [{ n: number }],
    ];
    expect(kept.n).toBeGreaterThan(0);
    const altered = pathOf(body.url).replace(/.$/, (last: string) => (last === 'A' ? 'B' : 'A'));
    expect((await publicly(altered)).status).toBe(404);
    await tidyDerived(server.db, 0);
    const [[left]] = (await server.db.query('SELECT COUNT(*) AS n FROM pictures_on_request')) as unknown as [
      [{ n: number }],
    ];
    expect(left.n).toBe(0);
  });
});

describe('a preview', () => {
  test('shows what a chain makes, with its figures, and what is wrong at which step', async () => {
    const asset = await addPicture('/preview', 'a.jpg', 14);
    const { body } = await api('POST', '/recipes/preview', {
      asset: asset.id,
      steps: [{ op: 'fit', mode: 'inside', width: 120 }],
      output: { format: 'webp' },
    });
    const data = Buffer.from(body.data.split(',')[1], 'base64');
    expect([body.width, body.height, body.bytes, body.mime]).toEqual([120, 80, data.length, 'image/webp']);
    const wrong = await api('POST', '/recipes/preview', {
      asset: asset.id,
      steps: [{ op: 'crop', left: 2000, top: 0, width: 9, height: 9 }],
    });
    expect([wrong.status, wrong.body.errors[0].field]).toEqual([422, 'steps.0']);
  });
});

test('what somebody looks at is made before a long run', async () => {
  await api('POST', '/recipes', recipe('seen', '/seen', 100));
  const asset = await addPicture('/seen', 'a.jpg', 20);
  await server.workUntilIdle();
  await api('PUT', '/recipes/seen', { ...recipe('seen', '/seen', 120), name: undefined });
  expect((await publicly('/media/seen/a~seen.jpg')).status).toBe(200);
  await eventually(async () => (await api('GET', '/workers')).body.queue.length > 0);
  expect((await api('GET', '/workers')).body.queue).toEqual([
    { kind: 'renditions-soon', waiting: 1, working: 0 },
  ]);
  await server.workUntilIdle();
  expect(await renditionsOf(asset.id)).toEqual({ seen: 'fresh' });
});
