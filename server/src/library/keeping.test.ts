import { Readable } from 'node:stream';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { sweepBlobs } from './sweep.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

const api = '/api/v1';
const bytes = (text: string) => Buffer.from(text);

async function put(
  folder: string,
  name: string,
  data: Buffer,
  fields: Record<string, string> = {},
): Promise<string> {
  return (await server.call('POST', `${api}/assets`, { body: form(folder, [{ name, data }], fields) })).body
    .id;
}
const get = async (id: string) => (await server.call('GET', `${api}/assets/${id}`)).body;
const bulk = (json: object, rehearse = false) =>
  server.call('POST', `${api}/assets/bulk${rehearse ? '?rehearse=true' : ''}`, { json });

describe('versions', () => {
  const replace = (id: string, data: Buffer, headers: Record<string, string> = {}) =>
    server.call('PUT', `${api}/assets/${id}/content`, { body: new Uint8Array(data) as BodyInit, headers });

  test('new bytes stand at the same address; the old ones can be had and brought back', async () => {
    const [first, second] = [await photo(60, 40, 1), await photo(80, 50, 2)];
    const id = await put('/versions', 'a.jpg', first, { alt: 'Kept' });
    const { status, body } = await replace(id, second);
    expect([status, body.version, body.width, body.alt, body.name]).toEqual([200, 2, 80, 'Kept', 'a.jpg']);
    expect((await server.call('GET', '/media/versions/a.jpg')).bytes.equals(second)).toBe(true);
    const { items } = (await server.call('GET', `${api}/assets/${id}/versions`)).body;
    expect(items.map(({ n, bytes: size }: { n: number; bytes: number }) => [n, size])).toEqual([
      [2, second.length],
      [1, first.length],
    ]);
    expect((await server.call('GET', items[1].url.slice(server.url.length))).bytes.equals(first)).toBe(true);
    await server.call('POST', `${api}/assets/${id}/versions/1/restore`);
    expect(await get(id)).toMatchObject({ version: 3, width: 60 });
    expect((await server.call('GET', '/media/versions/a.jpg')).bytes.equals(first)).toBe(true);
    const folder = (await server.call('GET', `${api}/folders?within=/versions`)).body.items[0];
    expect([folder.items, folder.bytes]).toEqual([1, first.length]);
  });

  test('the same bytes again make no version, whatever the folder says about duplicates', async () => {
    const data = await photo(60, 40, 21);
    const id = await put('/versions', 'same.jpg', data);
    const before = await get(id);
    const { status, body } = await replace(id, data);
    expect([status, body.version, body.updatedAt]).toEqual([200, 1, before.updatedAt]);
    expect((await server.call('GET', `${api}/assets/${id}/versions`)).body.total).toBe(1);
    expect((await replace(id, data, { 'If-Match': '"stale"' })).status).toBe(412);
  });

  test('a replacement is judged: another kind, a broken picture and a stale state are refused', async () => {
    const id = await put('/versions', 'b.jpg', await photo(60, 40, 3));
    const text = await replace(id, bytes('no picture'));
    expect([text.status, text.body.verdict.reasons[0].code]).toEqual([422, 'type-mismatch']);
    const stale = await replace(id, await photo(61, 40, 4), { 'If-Match': '"stale"' });
    expect(stale.status).toBe(412);
    expect((await get(id)).version).toBe(1);
    expect((await server.call('POST', `${api}/assets/${id}/versions/9/restore`)).status).toBe(404);
  });

  test('a new version makes its renditions again, and the old one serves until then', async () => {
    await server.call('POST', `${api}/recipes`, {
      json: {
        name: 'small',
        title: 'Small',
        folders: ['/fresh'],
        steps: [{ op: 'fit', width: 20, mode: 'inside' }],
      },
    });
    const id = await put('/fresh', 'a.jpg', await photo(60, 40, 5));
    await server.workUntilIdle();
    const before = (await get(id)).renditions[0];
    await replace(id, await photo(90, 90, 6));
    const between = (await get(id)).renditions[0];
    expect([between.state, between.url]).toEqual(['outdated', before.url]);
    expect((await server.call('GET', before.url.slice(server.url.length), { key: null })).status).toBe(200);
    await server.workUntilIdle();
    expect((await get(id)).renditions[0]).toMatchObject({
      state: 'fresh',
      width: 20,
      height: 20,
      url: before.url,
    });
  });
});

describe('a bulk edit', () => {
  test('is rehearsed, carried out as it was rehearsed, counted, and taken back', async () => {
    const ids = [
      await put('/bulk', 'gannet-head-01.txt', bytes('1')),
      await put('/bulk', 'gannet-head-02.txt', bytes('2'), { alt: 'Had one' }),
      await put('/bulk', 'fog_bell.txt', bytes('3')),
    ];
    const request = {
      select: { q: 'kind:document', folder: '/bulk' },
      change: { fill: { alt: '{words}, {folder}' } },
    };
    const { plan } = (await bulk(request, true)).body;
    expect(plan.totals).toEqual({
      selected: 3,
      changed: 2,
      hasOne: 1,
      noDate: 0,
      dateLimit: 0,
      same: 0,
      blocked: 0,
    });
    expect((await get(ids[0] as string)).alt).toBeNull();
    const { run } = (await bulk(request)).body;
    await server.workUntilIdle();
    expect(await Promise.all(ids.map(async (id) => (await get(id)).alt))).toEqual([
      'Gannet head, bulk',
      'Had one',
      'Fog bell, bulk',
    ]);
    const ended = (await server.call('GET', `${api}/runs/${run.id}`)).body;
    expect(ended).toMatchObject({ state: 'done', total: 3, done: 2, skipped: 1, canUndo: true });
    const items = (await server.call('GET', `${api}/runs/${run.id}/items`)).body;
    expect(items.items[0].note).toBe('2 changed; 1 left: already had one');

    await server.call('PATCH', `${api}/assets/${ids[2]}`, { json: { alt: 'Changed since' } });
    const undo = (await server.call('POST', `${api}/runs/${run.id}/undo`)).body.run;
    await server.workUntilIdle();
    expect(await Promise.all(ids.map(async (id) => (await get(id)).alt))).toEqual([
      null,
      'Had one',
      'Changed since',
    ]);
    expect((await server.call('GET', `${api}/runs/${undo.id}`)).body).toMatchObject({
      done: 1,
      skipped: 1,
      undoOf: run.id,
    });
    // A second undo finds nothing left to take back but what was changed since.
    const again = (await server.call('POST', `${api}/runs/${run.id}/undo`)).body.run;
    await server.workUntilIdle();
    expect((await server.call('GET', `${api}/runs/${again.id}`)).body).toMatchObject({ done: 0 });
  });

  test('sets, appends, replaces, moves and shifts dates; addresses forward', async () => {
    const id = await put('/ops', 'a.txt', bytes('ops'), { title: 'Old tower', keywords: 'sea' });
    await server.call('PATCH', `${api}/assets/${id}`, { json: { capturedAt: '2025-01-01T00:30:00+01:00' } });
    await bulk({
      select: { ids: [id] },
      change: {
        replace: [{ field: 'title', find: 'Old', with: 'New' }],
        append: { title: ' (1903)', keywords: ['dusk'] },
        set: { credit: 'The Trust' },
        removeKeywords: ['sea'],
        shiftMinutes: -60,
        folder: '/ops/moved',
      },
    });
    await server.workUntilIdle();
    expect(await get(id)).toMatchObject({
      title: 'New tower (1903)',
      credit: 'The Trust',
      keywords: ['dusk'],
      capturedLocal: '2024-12-31T23:30:00+01:00',
      folder: { path: '/ops/moved' },
    });
    expect((await server.call('GET', '/media/ops/a.txt')).status).toBe(308);
    expect((await server.call('GET', `${api}/assets?q=keyword:sea&folder=/ops&deep=true`)).body.total).toBe(
      0,
    );
  });

  test('leaves what a rule refuses, with the reason, and does the rest', async () => {
    const folder = (await server.call('POST', `${api}/folders`, { json: { path: '/narrow' } })).body.id;
    await server.call('PUT', `${api}/folders/${folder}/rules`, { json: { maxBytes: 3 } });
    const [small, large] = [
      await put('/wide', 's.txt', bytes('1')),
      await put('/wide', 'l.txt', bytes('12345')),
    ];
    const { run } = (await bulk({ select: { ids: [small, large] }, change: { folder: '/narrow' } })).body;
    await server.workUntilIdle();
    expect([(await get(small)).folder.path, (await get(large)).folder.path]).toEqual(['/narrow', '/wide']);
    const { items } = (await server.call('GET', `${api}/runs/${run.id}/items`)).body;
    expect(items[0].note).toContain('1 left: l.txt has 5 bytes');
  });

  test.each([
    ['nothing to do', { select: { ids: ['1'] }, change: {} }],
    ['an unknown field', { select: { ids: ['1'] }, change: { set: { colour: 'red' } } }],
    ['no selection', { change: { set: { alt: 'x' } } }],
    ['both a change and an action', { select: { ids: ['1'] }, change: { set: { alt: 'x' } }, action: 'bin' }],
    ["a filter that can't be read", { select: { q: 'knd:x' }, change: { set: { alt: 'x' } } }],
  ])('with %s is malformed', async (_what, body) => {
    expect((await bulk(body)).status).toBe(400);
  });
});

describe('the bin', () => {
  test('lists what was put there, takes it back by one press, and is emptied for good', async () => {
    const ids = [await put('/bin', 'a.txt', bytes('bin a')), await put('/bin', 'b.txt', bytes('bin b'))];
    const { run } = (await bulk({ select: { ids }, action: 'bin' })).body;
    await server.workUntilIdle();
    const { body } = await server.call('GET', `${api}/bin`);
    expect([body.total, body.bytes, body.items.map(({ name }: { name: string }) => name).sort()]).toEqual([
      2,
      10,
      ['a.txt', 'b.txt'],
    ]);
    expect((await server.call('GET', '/media/bin/a.txt')).status).toBe(404);
    await server.call('POST', `${api}/runs/${run.id}/undo`);
    await server.workUntilIdle();
    expect((await server.call('GET', '/media/bin/a.txt')).status).toBe(200);
    await server.call('DELETE', `${api}/assets/${ids[0]}`);
    expect(
      (await server.call('POST', `${api}/bin/empty?rehearse=true`, { json: {} })).body.plan.totals,
    ).toEqual({ selected: 1 });
    expect(
      (await server.call('POST', `${api}/bin/empty?rehearse=true`, { json: { olderThanDays: 30 } })).body.plan
        .totals,
    ).toEqual({ selected: 0 });
    await server.call('POST', `${api}/bin/empty`, { json: {} });
    await server.workUntilIdle();
    expect((await server.call('GET', `${api}/bin`)).body.total).toBe(0);
    expect((await server.call('POST', `${api}/assets/${ids[0]}/restore`)).status).toBe(404);
    expect((await get(ids[1] as string)).name).toBe('b.txt');
  });

  test('a whole selection needs the right to delete', async () => {
    const key = await server.key(['library:read', 'library:write']);
    const { status } = await server.call('POST', `${api}/assets/bulk`, {
      key,
      json: { select: { q: '' }, action: 'bin' },
    });
    expect(status).toBe(403);
  });
});

test('bytes that were kept and never recorded are swept once they are old', async () => {
  const { store } = server;
  const tools = { ...server.services, joints: server.house.plugged.joints };
  const staged = await store.stage(Readable.from([bytes('kept by a process that died')]), {
    limitBytes: 1000,
  });
  await staged.keep();
  await sweepBlobs(tools);
  expect(await store.has(staged.sha256)).toBe(true);
  await sweepBlobs(tools, { minAgeHours: -1 });
  expect(await store.keptSince(staged.sha256)).toBeNull();
});

test('bytes that nothing names are put aside and removed; what is named again is brought back', async () => {
  const once = { minAgeHours: -1 };
  const { store } = server;
  const tools = { ...server.services, joints: server.house.plugged.joints };
  const [gone, kept] = [
    await put('/sweep', 'gone.txt', bytes('swept away')),
    await put('/sweep', 'kept.txt', bytes('kept')),
  ];
  const digests = [(await get(gone)).sha256, (await get(kept)).sha256];
  await sweepBlobs(tools, once);
  expect(await Promise.all(digests.map((sha256) => store.has(sha256)))).toEqual([true, true]);
  await server.call('DELETE', `${api}/assets/${gone}`);
  await server.call('POST', `${api}/bin/empty`, { json: {} });
  await server.workUntilIdle();
  expect((await sweepBlobs(tools, once)).discarded).toBe(1);
  expect(await Promise.all(digests.map((sha256) => store.keptSince(sha256)))).toEqual([
    null,
    expect.any(Number),
  ]);
  // A file with the same bytes that came in just before they were put aside: named, and not there.
  const again = await put('/sweep', 'again.txt', bytes('swept away'));
  await store.quarantine(digests[0]);
  expect((await sweepBlobs(tools, once)).restored).toBe(1);
  expect((await server.call('GET', `${api}/assets/${again}/content`)).bytes.toString()).toBe('swept away');
  await server.call('DELETE', `${api}/assets/${again}`);
  await server.call('POST', `${api}/bin/empty`, { json: {} });
  await server.workUntilIdle();
  await sweepBlobs(tools, once);
  expect((await sweepBlobs(tools, once)).removed).toBe(1);
});
