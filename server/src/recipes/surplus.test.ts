import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { type Atelier, openAtelier, recipe } from '../testing/derived.js';
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

describe('ladders and snippets', () => {
  test("a ladder's sizes have their own addresses; a size that is taken away stays as surplus, and then leads on", async () => {
    const ladder = (widths: number[]) =>
      recipe('rungs', '/ladder', 1600, {
        steps: [],
        ladder: { widths },
        output: { format: 'jpeg', quality: 70, also: ['webp'] },
      });
    await api('POST', '/recipes', ladder([800, 400]));
    const asset = await addPicture('/ladder', 'a.jpg', 12);
    await server.workUntilIdle();
    expect(await renditionsOf(asset.id)).toEqual({
      rungs: 'fresh',
      'rungs.400w.jpg': 'fresh',
      'rungs.800w.webp': 'fresh',
      'rungs.400w.webp': 'fresh',
    });
    expect((await sharp((await publicly('/media/ladder/a~rungs.400w.webp')).bytes).metadata()).width).toBe(
      400,
    );
    const { body: snippet } = await api('GET', `/assets/${asset.id}/snippet?recipe=rungs&sizes=50vw`);
    expect(snippet.html).toMatch(
      /^<picture>\n {2}<source type="image\/webp" srcset="[^"]+400w.webp 400w, [^"]+800w.webp 800w" sizes="50vw">\n {2}<img src=/,
    );

    await api('PUT', '/recipes/rungs', { ...ladder([800, 500]), name: undefined });
    await api('POST', '/recipes/rebuild', { recipes: ['rungs'], only: 'unfinished' });
    await server.workUntilIdle();
    expect((await renditionsOf(asset.id))['rungs.400w.jpg']).toBe('surplus');
    expect((await publicly('/media/ladder/a~rungs.400w.jpg')).status).toBe(200);
    await server.processes.rendering.requests.flush();
    const { body: surplus } = await api('GET', '/renditions/surplus?recipe=rungs');
    expect(
      surplus.items.map(({ variant, why, requests }: Record<string, unknown>) => [variant, why, requests]),
    ).toEqual([
      ['400w.jpg', 'size-removed', 1],
      ['400w.webp', 'size-removed', 1],
    ]);

    const { body: rehearsed } = await api('POST', '/renditions/surplus/remove?rehearse=true', {
      recipes: ['rungs'],
    });
    expect(rehearsed.plan.totals.items).toBe(2);
    const { body: removal } = await api('POST', '/renditions/surplus/remove', { recipes: ['rungs'] });
    await server.workUntilIdle();
    const gone = await publicly('/media/ladder/a~rungs.400w.webp');
    expect([gone.status, pathOf(gone.headers.get('location') ?? '')]).toEqual([
      308,
      '/media/ladder/a~rungs.500w.webp',
    ]);
    expect((await publicly(pathOf(gone.headers.get('location') ?? ''))).status).toBe(200);

    await api('POST', `/runs/${removal.run.id}/undo`);
    await server.workUntilIdle();
    expect((await publicly('/media/ladder/a~rungs.400w.webp')).status).toBe(200);
    expect((await api('POST', `/runs/${removal.run.id}/undo`)).status).toBe(409);
  });

  test('what was removed can be brought back for thirty days, and its address leads on for good', async () => {
    await api('PUT', '/recipes/rungs', { ...recipe('rungs', '/ladder', 300), name: undefined });
    await api('POST', '/recipes/rebuild', { recipes: ['rungs'], only: 'unfinished' });
    await server.workUntilIdle();
    const { body: removal } = await api('POST', '/renditions/surplus/remove', { recipes: ['rungs'] });
    await server.workUntilIdle();
    await server.db.query('UPDATE removed_renditions SET removed_at = NOW(3) - INTERVAL 31 DAY');
    await tidyDerived(server.db, 1e9);
    expect((await api('POST', `/runs/${removal.run.id}/undo`)).status).toBe(409);
    expect((await publicly('/media/ladder/a~rungs.800w.webp')).status).toBe(308);
  });

  test('a recipe that is taken away keeps its files until they are removed, and then leads to the original when nothing else is there', async () => {
    await api('POST', '/recipes', recipe('brief', '/brief', 200));
    await addPicture('/brief', 'a.jpg', 13);
    await server.workUntilIdle();
    await api('DELETE', '/recipes/brief');
    expect((await publicly('/media/brief/a~brief.jpg')).status).toBe(200);
    await api('POST', '/renditions/surplus/remove', { recipes: ['brief'] });
    await server.workUntilIdle();
    const gone = await publicly('/media/brief/a~brief.jpg');
    expect([gone.status, pathOf(gone.headers.get('location') ?? '')]).toEqual([308, '/media/brief/a.jpg']);
  });
});
