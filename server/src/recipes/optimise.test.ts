import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { type Atelier, openAtelier, recipe } from '../testing/derived.js';
import { form, photo } from '../testing/harness.js';

let server: Atelier['server'];
let api: Atelier['api'];
let renditionsOf: Atelier['renditionsOf'];
beforeAll(async () => {
  ({ server, api, renditionsOf } = await openAtelier());
});
afterAll(() => server.close());

describe('optimising originals', () => {
  test('saves bytes without changing a pixel, keeps the version before, and lets renditions be', async () => {
    await api('POST', '/recipes', recipe('beside', '/small', 200));
    const data = await sharp(await photo(700, 500, 15))
      .jpeg({ quality: 85, optimiseCoding: false })
      .withExif({ IFD0: { Artist: 'Tam Hollin' } })
      .toBuffer();
    const { body: asset } = await server.call('POST', '/api/v1/assets', {
      body: form('/small', [{ name: 'a.jpg', data }]),
    });
    await server.workUntilIdle();
    const { body: rehearsed } = await api('POST', '/assets/optimise?rehearse=true', {
      select: { q: '', folder: '/small' },
    });
    expect(rehearsed.plan.totals).toEqual({ selected: 1, possible: 1, bytes: data.length });
    const { body: begun } = await api('POST', '/assets/optimise', { select: { ids: [asset.id] } });
    await server.workUntilIdle();
    const { body: after } = await api('GET', `/assets/${asset.id}`);
    const { bytes: smaller } = await server.call('GET', `/api/v1/assets/${asset.id}/content`);
    expect([after.version, after.bytes]).toEqual([2, smaller.length]);
    expect(after.bytes).toBeLessThan(data.length);
    expect((await sharp(smaller).raw().toBuffer()).equals(await sharp(data).raw().toBuffer())).toBe(true);
    expect((await sharp(smaller).metadata()).exif?.toString('latin1')).toContain('Tam Hollin');
    expect(await renditionsOf(asset.id)).toEqual({ beside: 'fresh' });
    const { body: run } = await api('GET', `/runs/${begun.run.id}`);
    expect(run.bytes).toEqual({ before: data.length, after: after.bytes });
    expect((await api('GET', '/assets/optimised')).body).toEqual({
      files: 1,
      before: data.length,
      after: after.bytes,
    });
  });

  test('is done again by itself for a new version, and not after it was taken back', async () => {
    const { body: list } = await api('GET', '/assets?folder=/small');
    const [{ id }] = list.items;
    const other = await sharp(await photo(650, 500, 16))
      .jpeg({ quality: 85, optimiseCoding: false })
      .toBuffer();
    await server.call('PUT', `/api/v1/assets/${id}/content`, {
      body: new Blob([other as BlobPart]),
      headers: { 'Content-Type': 'image/jpeg' },
    });
    await server.workUntilIdle();
    const { body: again } = await api('GET', `/assets/${id}`);
    expect([again.version, again.bytes < other.length]).toEqual([4, true]);
    await api('POST', `/assets/${id}/versions/3/restore`);
    await server.workUntilIdle();
    const { body: back } = await api('GET', `/assets/${id}`);
    expect([back.version, back.bytes]).toEqual([5, other.length]);
    expect(await renditionsOf(id)).toEqual({ beside: 'fresh' });
  });
});
