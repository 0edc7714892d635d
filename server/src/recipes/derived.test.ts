import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Ajv2020 } from 'ajv/dist/2020.js';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { eventually, form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { tidyDerived } from './tidy.js';
import { adoptEarlierRenditions } from './upgrade.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

const api = (method: string, path: string, json?: unknown) =>
  server.call(method, `/api/v1${path}`, json === undefined ? {} : { json });
const publicly = (path: string) => server.call('GET', path, { key: null });
const pathOf = (url: string) => url.replace(server.url, '');

async function addPicture(folder: string, name: string, seed: number, width = 900) {
  const answer = await server.call('POST', '/api/v1/assets', {
    body: form(folder, [{ name, data: await photo(width, Math.round(width / 1.5), seed) }]),
  });
  return answer.body;
}

const recipe = (name: string, folder: string, width: number, more: object = {}) => ({
  name,
  title: name,
  folders: [folder],
  steps: [{ op: 'fit', mode: 'inside', width }],
  output: { format: 'jpeg', quality: 80 },
  ...more,
});

async function renditionsOf(id: string): Promise<Record<string, string>> {
  const { body } = await api('GET', `/assets/${id}`);
  return Object.fromEntries(
    body.renditions.map(({ recipe: name, variant, state }: Record<string, string>) => [
      variant ? `${name}.${variant}` : name,
      state,
    ]),
  );
}

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
    expect(await renditionsOf(asset.id)).toEqual({ asked: 'due' });
    const { body } = await api('POST', '/recipes/rebuild?rehearse=true', { only: 'missing' });
    expect(body.plan.items.some((item: { recipe: string }) => item.recipe === 'asked')).toBe(false);
    const answer = await publicly('/media/asked/a~asked.jpg');
    expect([answer.status, answer.headers.get('content-type')]).toEqual([200, 'image/jpeg']);
    expect(await renditionsOf(asset.id)).toEqual({ asked: 'fresh' });
  });

  test('a signed address makes anything, keeps it, and can’t be altered', async () => {
    const asset = await addPicture('/signed', 'a.jpg', 3);
    const wish = {
      steps: [{ op: 'fit', mode: 'cover', width: 60, height: 60 }, { op: 'sepia' }],
      output: { format: 'png' },
    };
    const { body } = await api('POST', `/assets/${asset.id}/address`, wish);
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

describe('states', () => {
  test('an edit leaves files outdated and says why; taking it back makes them fresh again', async () => {
    await api('POST', '/recipes', recipe('card', '/states', 300));
    const asset = await addPicture('/states', 'a.jpg', 4);
    await server.workUntilIdle();
    const wider = { ...recipe('card', '/states', 500), name: undefined };
    const { body: rehearsed } = await api('PUT', '/recipes/card?rehearse=true', wider);
    expect(rehearsed.plan.items).toEqual([{ change: 'step 1: width 300 → 500' }]);
    expect(rehearsed.plan.totals).toMatchObject({ outdated: 1, due: 0, surplus: 0 });
    expect(rehearsed.plan.totals.bytesAfter).toBeGreaterThan(rehearsed.plan.totals.bytesNow);
    expect(rehearsed.plan.totals.seconds).toBeGreaterThan(0);
    expect(await renditionsOf(asset.id)).toEqual({ card: 'fresh' });

    await api('PUT', '/recipes/card', wider);
    expect(await renditionsOf(asset.id)).toEqual({ card: 'outdated' });
    const { body: story } = await api('GET', `/assets/${asset.id}/renditions/card`);
    expect(story.reasons).toEqual([
      {
        code: 'recipe-changed',
        message:
          'It was made by revision 1 of the recipe, which is at revision 2 now: step 1: width 300 → 500.',
      },
    ]);
    await api('PUT', '/recipes/card', { ...recipe('card', '/states', 300), name: undefined });
    expect(await renditionsOf(asset.id)).toEqual({ card: 'fresh' });
    const { body: revisions } = await api('GET', '/recipes/card/revisions');
    expect(
      revisions.items.map(({ revision, changes }: { revision: number; changes: string[] }) => [
        revision,
        changes,
      ]),
    ).toEqual([
      [3, ['step 1: width 500 → 300']],
      [2, ['step 1: width 300 → 500']],
      [1, []],
    ]);
  });

  test('a new version and a moved focal point are told apart', async () => {
    await api(
      'POST',
      '/recipes',
      recipe('square', '/told', 90, { steps: [{ op: 'fit', mode: 'cover', width: 90, height: 90 }] }),
    );
    const asset = await addPicture('/told', 'a.jpg', 5);
    await server.workUntilIdle();
    await api('PATCH', `/assets/${asset.id}`, { focal: { x: 0.1, y: 0.2 } });
    const codes = async () =>
      (await api('GET', `/assets/${asset.id}/renditions/square`)).body.reasons.map(
        ({ code }: { code: string }) => code,
      );
    expect(await codes()).toEqual(['focal-moved']);
    await server.call('PUT', `/api/v1/assets/${asset.id}/content`, {
      body: new Blob([(await photo(800, 500, 55)) as BlobPart]),
      headers: { 'Content-Type': 'image/jpeg' },
    });
    expect(await codes()).toEqual(['version-changed', 'focal-moved']);
    await server.workUntilIdle();
    expect(await codes()).toEqual(['fresh']);
  });

  test('what an earlier server made stays fresh when a title is edited', async () => {
    await api('POST', '/recipes', recipe('early', '/early', 100));
    const asset = await addPicture('/early', 'a.jpg', 62);
    await server.workUntilIdle();
    await server.db.query("UPDATE renditions SET content = NULL, source_sha = NULL WHERE recipe = 'early'");
    await adoptEarlierRenditions(server.db);
    await api('PUT', '/recipes/early', {
      ...recipe('early', '/early', 100),
      name: undefined,
      title: 'Other',
    });
    expect(await renditionsOf(asset.id)).toEqual({ early: 'fresh' });
  });

  test('what failed and still shows an earlier file is outdated after an edit, and due without one', async () => {
    await api('POST', '/recipes', recipe('tried', '/tried', 100));
    const asset = await addPicture('/tried', 'a.jpg', 63);
    await server.workUntilIdle();
    const cut = (left: number) => ({
      ...recipe('tried', '/tried', 0, { steps: [{ op: 'crop', left, top: 0, width: 9, height: 9 }] }),
      name: undefined,
    });
    await api('PUT', '/recipes/tried', cut(5000));
    await api('POST', '/recipes/rebuild', { recipes: ['tried'], only: 'outdated' });
    await server.workUntilIdle();
    expect(await renditionsOf(asset.id)).toEqual({ tried: 'failed' });
    await api('PUT', '/recipes/tried', cut(5));
    expect(await renditionsOf(asset.id)).toEqual({ tried: 'outdated' });
  });

  test('what lies in the bin while a recipe is edited is judged when it comes out', async () => {
    await api('POST', '/recipes', recipe('binned', '/binned', 100));
    const asset = await addPicture('/binned', 'a.jpg', 61);
    await server.workUntilIdle();
    await api('DELETE', `/assets/${asset.id}`);
    await api('PUT', '/recipes/binned', { ...recipe('binned', '/binned', 120), name: undefined });
    expect((await api('GET', '/recipes/binned')).body.renditions).toMatchObject({
      fresh: 0,
      outdated: 0,
      surplus: 0,
    });
    await api('POST', `/assets/${asset.id}/restore`);
    expect(await renditionsOf(asset.id)).toEqual({ binned: 'outdated' });
    expect((await api('GET', '/recipes/binned')).body.renditions).toMatchObject({ outdated: 1 });
    await server.workUntilIdle();
    expect(await renditionsOf(asset.id)).toEqual({ binned: 'fresh' });
  });

  test('a recipe that is moved to another folder leaves surplus there and is due here', async () => {
    const there = await addPicture('/moved/there', 'a.jpg', 6);
    const here = await addPicture('/moved/here', 'a.jpg', 7);
    await api('POST', '/recipes', recipe('wander', '/moved/there', 200));
    await api('POST', '/recipes/rebuild', { recipes: ['wander'], only: 'missing' });
    await server.workUntilIdle();
    expect([await renditionsOf(there.id), await renditionsOf(here.id)]).toEqual([{ wander: 'fresh' }, {}]);
    await api('PUT', '/recipes/wander', { ...recipe('wander', '/moved/here', 200), name: undefined });
    expect([await renditionsOf(there.id), await renditionsOf(here.id)]).toEqual([
      { wander: 'surplus' },
      { wander: 'due' },
    ]);
    await api('PUT', '/recipes/wander', { ...recipe('wander', '/moved/there', 200), name: undefined });
    expect([await renditionsOf(there.id), await renditionsOf(here.id)]).toEqual([{ wander: 'fresh' }, {}]);
  });

  test('the matrix shows each asset with its recipes, and its counts agree with the recipes’', async () => {
    const { body: all } = await api('GET', '/recipes/matrix?folder=/moved&limit=1');
    expect([all.items.length, all.total, all.next !== null]).toEqual([1, 1, false]);
    const { body: recipes } = await api('GET', '/recipes');
    for (const { name, renditions } of recipes.items) {
      const { body } = await api('GET', `/recipes/matrix?state=fresh&q=recipe:${name}%3Dfresh`);
      const cells = body.items.filter(
        (row: { cells: Record<string, { state: string }> }) => row.cells[name]?.state === 'fresh',
      );
      expect(cells.length, name).toBe(renditions.fresh);
    }
  });

  test('a watermark that is replaced leaves what it was laid over outdated; one that is deleted is said in the reason', async () => {
    const mark = await addPicture('/marks', 'seal.jpg', 8, 100);
    const asset = await addPicture('/marked', 'a.jpg', 9);
    const steps = [
      { op: 'fit', mode: 'inside', width: 300 },
      { op: 'watermark', picture: '/marks/seal.jpg' },
    ];
    await api('POST', '/recipes', recipe('sealed', '/marked', 300, { steps }));
    await api('POST', '/recipes/rebuild', { recipes: ['sealed'], only: 'missing' });
    await server.workUntilIdle();
    expect(await renditionsOf(asset.id)).toEqual({ sealed: 'fresh' });
    await server.call('PUT', `/api/v1/assets/${mark.id}/content`, {
      body: new Blob([(await photo(90, 90, 77)) as BlobPart]),
      headers: { 'Content-Type': 'image/jpeg' },
    });
    const { body: story } = await api('GET', `/assets/${asset.id}/renditions/sealed`);
    expect([story.state, story.reasons[0].code]).toEqual(['outdated', 'watermark-changed']);
    await api('DELETE', `/assets/${mark.id}`);
    await api('POST', '/recipes/rebuild', { recipes: ['sealed'], only: 'outdated' });
    await server.workUntilIdle();
    const { body: failed } = await api('GET', `/assets/${asset.id}/renditions/sealed`);
    expect([failed.state, failed.reasons[0].message]).toEqual([
      'failed',
      'a.jpg: step 2 (watermark): the watermark /marks/seal.jpg is not in the library. Restore it from the bin, or choose another picture in the recipe.',
    ]);
    // What was made before goes on being shown.
    expect((await publicly('/media/marked/a~sealed.jpg')).status).toBe(200);
  });
});

describe('a rebuild', () => {
  test('takes a folder and a filter, reports bytes before and after, and serves the old file until then', async () => {
    await api('POST', '/recipes', recipe('page', '/rebuild', 400));
    const kept = await addPicture('/rebuild/a', 'keep.jpg', 10);
    const other = await addPicture('/rebuild/b', 'other.jpg', 11);
    await server.workUntilIdle();
    const before = (await publicly('/media/rebuild/a/keep~page.jpg')).bytes;
    await api('PUT', '/recipes/page', { ...recipe('page', '/rebuild', 200), name: undefined });
    expect((await publicly('/media/rebuild/a/keep~page.jpg')).bytes.equals(before)).toBe(true);
    const request = {
      only: 'unfinished',
      recipes: ['page'],
      select: { q: 'keep', folder: '/rebuild', deep: true },
    };
    const { body } = await api('POST', '/recipes/rebuild?rehearse=true', request);
    expect(body.plan.items).toEqual([
      { asset: kept.id, name: 'keep.jpg', recipe: 'page', state: 'outdated' },
    ]);
    expect(body.plan.totals).toMatchObject({ renditions: 1, assets: 1, bytesNow: before.length });
    const { body: begun } = await api('POST', '/recipes/rebuild', request);
    await server.workUntilIdle();
    expect([await renditionsOf(kept.id), await renditionsOf(other.id)]).toEqual([
      { page: 'fresh' },
      { page: 'outdated' },
    ]);
    const { body: run } = await api('GET', `/runs/${begun.run.id}`);
    expect(run.total).toBe(1);
  });

  test('of everything that is up to date finds nothing to do', async () => {
    await api('POST', '/recipes/rebuild', { only: 'unfinished' });
    await server.workUntilIdle();
    const { body } = await api('POST', '/recipes/rebuild', {
      recipes: ['page', 'card', 'now'],
      only: 'unfinished',
    });
    expect(body.run).toMatchObject({ total: 0, state: 'done' });
  });

  test('of files that an upload brought is reported by the bytes of each', async () => {
    const { body } = await api('POST', '/recipes/rebuild', { recipes: ['page'], only: 'all' });
    await server.workUntilIdle();
    const { body: run } = await api('GET', `/runs/${body.run.id}`);
    const { body: items } = await api('GET', `/runs/${body.run.id}/items`);
    expect(run.bytes.before).toBe(run.bytes.after);
    expect(run.bytes.after).toBe(
      items.items.reduce((sum: number, item: { bytes: { after: number } }) => sum + item.bytes.after, 0),
    );
  });
});

describe('ladders and snippets', () => {
  test('a ladder’s sizes have their own addresses; a size that is taken away stays as surplus, and then leads on', async () => {
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
    await server.app.requests.flush();
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

describe('recipes as a document', () => {
  test('are exported, valid by their published schema, and imported again without a change', async () => {
    const { body: document } = await api('GET', '/recipes/export');
    const { body: schema } = await server.call('GET', '/api/v1/recipes/schema.json', { key: null });
    const validate = new Ajv2020({ strict: false }).compile(schema);
    expect(validate(document), JSON.stringify(validate.errors)).toBe(true);
    const { body } = await api('POST', '/recipes/import?rehearse=true', document);
    expect(body.plan.totals).toEqual({ make: 0, change: 0, same: document.recipes.length });
    expect(
      validate({
        ...document,
        recipes: [{ name: 'x', title: 'x', steps: [{ op: 'fit', mode: 'sideways' }] }],
      }),
    ).toBe(false);
  });

  test('are made and changed together, or not at all, and a fault is told at its step', async () => {
    const wrong = {
      format: 'uniferum-recipes',
      version: 1,
      recipes: [
        recipe('fine', '/doc', 10),
        recipe('bad', '/doc', 10, { steps: [{ op: 'pixelate', size: 1 }] }),
      ],
    };
    const answer = await api('POST', '/recipes/import', wrong);
    expect([answer.status, answer.body.errors[0].field]).toEqual([400, 'recipes.1.steps.0.size']);
    expect((await api('GET', '/recipes/fine')).status).toBe(404);
    wrong.recipes.pop();
    expect((await api('POST', '/recipes/import', wrong)).body.plan.items).toEqual([
      { name: 'fine', action: 'make', changes: [] },
    ]);
    expect((await api('GET', '/recipes/fine')).body.revision).toBe(1);
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

/** A PDF of one page, its size in points. Source: ISO 32000-1, 7.5 (file structure). */
function onePage(width: number, height: number, drawing: string): Buffer {
  const objects = [
    '<< /Type /Catalog /Pages 2 0 R >>',
    '<< /Type /Pages /Kids [3 0 R] /Count 1 >>',
    `<< /Type /Page /Parent 2 0 R /MediaBox [0 0 ${width} ${height}] /Contents 4 0 R >>`,
    `<< /Length ${drawing.length} >>\nstream\n${drawing}\nendstream`,
  ];
  let text = '%PDF-1.4\n';
  const offsets = objects.map((object, index) => {
    const at = text.length;
    text += `${index + 1} 0 obj\n${object}\nendobj\n`;
    return at;
  });
  const table = offsets.map((offset) => `${String(offset).padStart(10, '0')} 00000 n \n`).join('');
  return Buffer.from(
    `${text}xref\n0 5\n0000000000 65535 f \n${table}trailer\n<< /Size 5 /Root 1 0 R >>\nstartxref\n${text.length}\n%%EOF\n`,
  );
}

describe('sources beyond pictures', () => {
  const kinds = { kinds: ['document', 'video', 'audio', 'vector'] };
  test('a page of a document, and one that it doesn’t have', async () => {
    const pdf = onePage(300, 200, '0.651 0.239 0.165 rg 10 10 280 180 re f');
    await api(
      'POST',
      '/recipes',
      recipe('front', '/papers', 150, {
        ...kinds,
        steps: [
          { op: 'page', page: 1, dpi: 144 },
          { op: 'fit', mode: 'inside', width: 150 },
        ],
      }),
    );
    await api(
      'POST',
      '/recipes',
      recipe('ninth', '/papers', 150, { ...kinds, steps: [{ op: 'page', page: 9 }] }),
    );
    const { body: asset } = await server.call('POST', '/api/v1/assets', {
      body: form('/papers', [{ name: 'a.pdf', data: pdf }]),
    });
    await server.workUntilIdle();
    expect(await renditionsOf(asset.id)).toEqual({ front: 'fresh', ninth: 'failed' });
    const { bytes } = await publicly('/media/papers/a~front.jpg');
    const { data, info } = await sharp(bytes).raw().toBuffer({ resolveWithObject: true });
    expect([info.width, info.height]).toEqual([150, 100]);
    expect(Math.abs((data[(50 * 150 + 75) * info.channels] ?? 0) - 0xa6)).toBeLessThan(12);
    const { body: story } = await api('GET', `/assets/${asset.id}/renditions/ninth`);
    expect(story.reasons[0].message).toBe(
      'No picture can be made of a.pdf: it has 1 page, and page 9 is wanted.',
    );
  });

  test('a moment of a film, the wave form of a sound, and their lengths', async () => {
    const film = join(server.config.dataDir, 'film.mp4');
    execFileSync('ffmpeg', [
      '-v',
      'error',
      '-f',
      'lavfi',
      '-i',
      'color=c=red:s=160x90:d=1',
      '-f',
      'lavfi',
      '-i',
      'color=c=blue:s=160x90:d=1',
      '-filter_complex',
      '[0][1]concat=n=2',
      '-pix_fmt',
      'yuv420p',
      '-y',
      film,
    ]);
    const samples = Buffer.alloc(44 + 8000 * 2);
    samples.write('RIFF', 0);
    samples.writeUInt32LE(36 + 16_000, 4);
    samples.write('WAVEfmt ', 8);
    samples.writeUInt32LE(16, 16);
    samples.writeUInt16LE(1, 20);
    samples.writeUInt16LE(1, 22);
    samples.writeUInt32LE(8000, 24);
    samples.writeUInt32LE(16_000, 28);
    samples.writeUInt16LE(2, 32);
    samples.writeUInt16LE(16, 34);
    samples.write('data', 36);
    samples.writeUInt32LE(16_000, 40);
    // Loud in its first half only.
    for (let at = 0; at < 4000; at += 1) samples.writeInt16LE(at % 2 ? 30_000 : -30_000, 44 + at * 2);
    await api(
      'POST',
      '/recipes',
      recipe('late', '/reel', 80, {
        kinds: ['video'],
        steps: [{ op: 'moment', at: 1.5 }],
        output: { format: 'png' },
      }),
    );
    await api(
      'POST',
      '/recipes',
      recipe('wave', '/reel', 80, {
        kinds: ['audio'],
        steps: [{ op: 'wave', width: 100, height: 40, colour: '#000000' }],
        output: { format: 'png' },
      }),
    );
    await server.call('POST', '/api/v1/assets', {
      body: form('/reel', [
        { name: 'a.mp4', data: readFileSync(film) },
        { name: 'b.wav', data: samples },
      ]),
    });
    await server.workUntilIdle();
    const moment = await sharp((await publicly('/media/reel/a~late.png')).bytes)
      .removeAlpha()
      .raw()
      .toBuffer({ resolveWithObject: true });
    expect([moment.info.width, moment.info.height]).toEqual([160, 90]);
    expect([(moment.data[0] ?? 255) < 40, (moment.data[2] ?? 0) > 200]).toEqual([true, true]);
    const wave = await sharp((await publicly('/media/reel/b~wave.png')).bytes)
      .ensureAlpha()
      .raw()
      .toBuffer({ resolveWithObject: true });
    const inkAt = (x: number) =>
      Array.from({ length: 40 }, (_, y) => wave.data[(y * 100 + x) * 4 + 3] ?? 0).filter(
        (alpha) => alpha > 128,
      ).length;
    expect([inkAt(20) > 30, inkAt(80) <= 3]).toEqual([true, true]);
    const { body } = await api('GET', '/assets?folder=/reel&sort=name');
    expect(body.items.map(({ duration }: { duration: number }) => Math.round(duration))).toEqual([2, 1]);
  });
});

describe('failures', () => {
  test('are grouped by why, and tried again together', async () => {
    await api('POST', '/recipes', recipe('any', '/cut', 100));
    const whole = await photo(900, 600, 17);
    for (const name of ['one.jpg', 'two.jpg'])
      await server.call('POST', '/api/v1/assets', {
        body: form('/cut', [
          { name, data: Buffer.concat([whole.subarray(0, whole.length / 2), Buffer.from(name)]) },
        ]),
      });
    await server.workUntilIdle();
    const { body } = await api('GET', '/runs/failures');
    const group = body.items.find(({ example }: { example: string }) => /can't be decoded/.test(example));
    expect(group).toMatchObject({ count: 2, kind: 'renditions' });
    expect(group.reason).toMatch(/^… can't be decoded/);
    const { body: retried } = await api('POST', '/runs/failures/retry', {
      reason: group.reason,
      kind: group.kind,
    });
    expect(retried.items).toBe(2);
    await server.workUntilIdle();
    expect((await api('POST', '/runs/failures/retry', { reason: 'never', kind: 'renditions' })).status).toBe(
      404,
    );
  });

  test('of a full disk are tried again, and say what is wrong', async () => {
    const asset = await addPicture('/full', 'a.jpg', 18);
    await server.workUntilIdle();
    await api('POST', '/recipes', recipe('onto', '/full', 100));
    const { store } = server.app;
    const takeWritten = store.takeWritten.bind(store);
    let refusals = 0;
    let body = { run: { id: '' } };
    store.takeWritten = (path, facts) => {
      const staged = takeWritten(path, facts);
      if (refusals >= 1) return staged;
      refusals += 1;
      const keep = async () => {
        throw Object.assign(new Error('ENOSPC: no space left on device, fsync'), { code: 'ENOSPC' });
      };
      return { ...staged, keep };
    };
    try {
      body = (await api('POST', '/recipes/rebuild', { recipes: ['onto'], only: 'missing' })).body;
      await server.workUntilIdle();
    } finally {
      store.takeWritten = takeWritten;
    }
    expect(refusals).toBe(1);
    const { body: items } = await api('GET', `/runs/${body.run.id}/items`);
    expect(items.items[0]).toMatchObject({ state: 'done', attempts: 2 });
    expect(await renditionsOf(asset.id)).toEqual({ onto: 'fresh' });
  });
});

test('the workers’ view counts what was done, and what waits', async () => {
  await addPicture('/view', 'a.jpg', 19);
  const { body: waiting } = await api('GET', '/workers');
  expect(waiting.queue).toEqual([{ kind: 'renditions', waiting: 1, working: 0 }]);
  await server.workUntilIdle();
  const { body } = await api('GET', '/workers?minutes=10');
  expect(body.queue).toEqual([]);
  expect(body.throughput.reduce((sum: number, { done }: { done: number }) => sum + done, 0)).toBeGreaterThan(
    10,
  );
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
