import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { api } from '../testing/calls.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

/** Sends small text files. */
async function send(folder: string, ...names: string[]): Promise<void> {
  const files = names.map((name) => ({ name, data: Buffer.from(`${folder}/${name}`) }));
  const { status } = await server.call('POST', `${api}/assets`, { body: form(folder, files) });
  expect([201, 207]).toContain(status);
}
async function folderAt(path: string): Promise<string> {
  const { items } = (await server.call('GET', `${api}/folders?within=${path}`)).body;
  return items.find((folder: { path: string }) => folder.path === path).id;
}
const setRules = async (path: string, json: object, rehearse = false) =>
  (await server.call('PUT', `${api}/folders/${await folderAt(path)}/rules?rehearse=${rehearse}`, { json }))
    .body;
const rehearse = async (path: string, json: object) => (await setRules(path, json, true)).plan;
const moveFolder = async (path: string, json: object) =>
  server.call('PATCH', `${api}/folders/${await folderAt(path)}`, { json });

describe('a rehearsal of rules', () => {
  test('counts what is there, here and below, that would break them, and by which', async () => {
    await send('/rehearsed', 'a.txt', 'b.txt', 'c.csv');
    await send('/rehearsed/below', 'd.txt', 'e.json');
    await send('/beside', 'f.txt');
    const plan = await rehearse('/rehearsed', { deny: ['txt'], maxItems: 2 });
    expect(plan.totals).toEqual({
      present: 5,
      outside: 4,
      outsideNow: 0,
      byCode: { 'type-denied': 3, 'too-many': 1 },
    });
    const listed = plan.items.map(
      ({ name, folder }: { name: string; folder: string }) => `${folder}/${name}`,
    );
    expect(listed.sort()).toEqual([
      '/rehearsed/a.txt',
      '/rehearsed/b.txt',
      '/rehearsed/below/d.txt',
      '/rehearsed/c.csv',
    ]);
    expect(plan.items[0].verdict.reasons[0]).toMatchObject({ code: 'type-denied', folder: '/rehearsed' });
    // Nothing has changed.
    await send('/rehearsed', 'g.txt');
  });

  test('says what breaks the rules of now, and keeps those of the folders around', async () => {
    await send('/kept/inner', 'a.txt', 'b.csv');
    await setRules('/kept', { deny: ['csv'] });
    expect((await rehearse('/kept/inner', {})).totals).toMatchObject({
      present: 2,
      outside: 1,
      outsideNow: 1,
    });
    expect((await rehearse('/kept/inner', { deny: ['txt'] })).totals).toMatchObject({
      outside: 2,
      outsideNow: 1,
    });
    expect((await rehearse('/kept', {})).totals).toMatchObject({ outside: 0, outsideNow: 1 });
    expect((await rehearse('/', { deny: ['txt'] })).totals.outside).toBeGreaterThan(1);
  });

  test('judges each folder by its own rules, and by those of the folders that it lies in', async () => {
    for (const folder of ['one', 'one/deep', 'two']) await send(`/apart/${folder}`, 'a.txt', 'b.csv');
    await setRules('/apart/one', { deny: ['csv'], maxItems: 9 });
    await setRules('/apart/one/deep', { deny: ['txt'], maxItems: 1 });
    expect((await rehearse('/apart', {})).totals).toEqual({
      present: 6,
      outside: 3,
      outsideNow: 3,
      byCode: { 'type-denied': 3, 'too-many': 1 },
    });
    // The folder inside has the last word.
    expect((await rehearse('/apart/one', { inherit: false, maxItems: 1 })).totals.byCode).toEqual({
      'type-denied': 1,
      'too-many': 2,
    });
    expect((await rehearse('/apart/one/deep', { inherit: false, maxItems: 2 })).totals.byCode).toEqual({
      'type-denied': 1,
    });
  });

  test('of a folder that is not there is not found', async () => {
    const answer = await server.call('PUT', `${api}/folders/999999/rules?rehearse=true`, { json: {} });
    expect([answer.status, answer.body.detail]).toEqual([404, expect.stringContaining('Folder 999999')]);
  });

  test('lists two hundred files and counts all', async () => {
    await send('/many', ...Array.from({ length: 205 }, (_, n) => `f${n}.txt`));
    const plan = await rehearse('/many', { deny: ['txt'] });
    expect([plan.items.length, plan.totals.outside]).toEqual([200, 205]);
  });
});

describe('a folder that is moved', () => {
  test('under rules that its files break stays, and the first twenty are named', async () => {
    await send('/strict', 'x.json');
    await setRules('/strict', { allow: ['json'] });
    await send('/moving', ...Array.from({ length: 22 }, (_, n) => `f${n}.txt`), 'ok.json');
    const refused = await moveFolder('/moving', { parent: '/strict' });
    expect(refused.status).toBe(422);
    expect(refused.body.verdict.reasons).toHaveLength(20);
    expect(refused.body.detail).toMatch(/And 2 more files\.$/);
    await send('/moving', 'still-here.txt');
  });

  test.each([
    [20, null],
    [21, 'And 1 more file.'],
  ])('of which %i files are refused names twenty, and says how many more', async (count, more) => {
    const folder = `/refused-${count}`;
    await send('/places-of-tables', 'x.csv');
    await setRules('/places-of-tables', { allow: ['csv'] });
    await send(folder, ...Array.from({ length: count }, (_, n) => `f${n}.txt`));
    const refused = await moveFolder(folder, { parent: '/places-of-tables' });
    expect(refused.body.verdict.reasons).toHaveLength(20);
    expect(/And .*$/.exec(refused.body.detail)?.[0] ?? null).toBe(more);
  });

  test('with as many files as its new place allows goes', async () => {
    await send('/single', 'x.txt');
    await setRules('/single', { maxItems: 1 });
    await send('/lonely', 'a.txt');
    expect((await moveFolder('/lonely', { parent: '/single' })).status).toBe(200);
  });

  test('with more files than its new place allows stays; within it, it goes', async () => {
    await send('/small', 'x.txt');
    await setRules('/small', { maxItems: 2 });
    await send('/three', 'a.txt', 'b.txt', 'c.txt');
    const refused = await moveFolder('/three', { parent: '/small' });
    expect(refused.body.verdict.reasons).toEqual([
      {
        code: 'too-many',
        limit: 2,
        actual: 3,
        folder: '/small',
        message: '/small/three would contain 3 items; the limit is 2.',
      },
    ]);
    await send('/two', 'a.txt', 'b.txt');
    expect((await moveFolder('/two', { parent: '/small' })).status).toBe(200);
  });

  test('takes along the rules of its own folders, and what broke them before does not count', async () => {
    await send('/own/inner', 'a.txt');
    await setRules('/own/inner', { deny: ['txt'] });
    await send('/elsewhere', 'x.csv');
    await setRules('/elsewhere', { minWidth: 5, maxItems: 10 });
    expect((await moveFolder('/own', { parent: '/elsewhere' })).status).toBe(200);
    const { effective } = (
      await server.call('GET', `${api}/folders/${await folderAt('/elsewhere/own/inner')}/rules`)
    ).body;
    expect(effective.deny).toEqual([{ value: 'txt', from: '/elsewhere/own/inner' }]);
    expect(effective.maxItems).toEqual({ value: 10, from: '/elsewhere' });
  });

  test('among others with rules is judged by those of its new place alone', async () => {
    await send('/places/strict', 'x.csv');
    await setRules('/places/strict', { deny: ['txt'] });
    await send('/goes/inner', 'a.txt');
    await send('/goes/beside', 'b.csv');
    await setRules('/goes/beside', { deny: ['txt'] });
    expect((await moveFolder('/goes', { parent: '/places' })).status).toBe(200);
    const refused = await moveFolder('/places/goes', { parent: '/places/strict' });
    expect(refused.body.verdict.reasons).toMatchObject([{ code: 'type-denied', folder: '/places/strict' }]);
  });

  test('that is only renamed is not judged', async () => {
    await send('/named', 'a.txt');
    await setRules('/named', { deny: ['txt'] });
    expect((await moveFolder('/named', { name: 'renamed' })).status).toBe(200);
  });
});

test('pictures are judged by their pixels, as they lie there', async () => {
  await server.call('POST', `${api}/assets`, {
    body: form('/pictures', [
      { name: 'small.jpg', data: await photo(60, 40, 7) },
      { name: 'large.jpg', data: await photo(160, 120, 8) },
    ]),
  });
  const plan = await rehearse('/pictures', { minWidth: 100, maxPixels: 15_000 });
  expect(plan.totals).toMatchObject({ outside: 2, byCode: { 'too-few-pixels': 1, 'too-many-pixels': 1 } });
});

describe('a rehearsal of a bulk edit', () => {
  const plan = async (folder: string, change: object) =>
    (
      await server.call('POST', `${api}/assets/bulk?rehearse=true`, {
        json: { select: { q: '', folder }, change },
      })
    ).body.plan;

  test('names what the rules of the target folder refuse, as the job itself does', async () => {
    await send('/bulk-strict', 'x.csv');
    await send('/bulk-from', 'a.txt', 'b.csv');
    await setRules('/bulk-strict', { deny: ['txt'] });
    const change = { folder: '/bulk-strict' };
    const { blocked, totals } = await plan('/bulk-from', change);
    expect(totals).toMatchObject({ selected: 2, changed: 2, blocked: 1 });
    expect(blocked).toMatchObject([{ name: 'a.txt', message: expect.stringContaining('/bulk-strict') }]);
    await server.call('POST', `${api}/assets/bulk`, {
      json: { select: { q: '', folder: '/bulk-from' }, change },
    });
    await server.workUntilIdle();
    const { items } = (await server.call('GET', `${api}/assets?folder=/bulk-from`)).body;
    expect(items.map(({ name }: { name: string }) => name)).toEqual(['a.txt']);
  });

  test('names texts that are required and would be taken away', async () => {
    await send('/bulk-texts', 'a.txt');
    await server.call('POST', `${api}/assets/bulk`, {
      json: { select: { q: '', folder: '/bulk-texts' }, change: { set: { title: 'A' } } },
    });
    await server.workUntilIdle();
    await setRules('/bulk-texts', { requireTexts: ['title'] });
    expect((await plan('/bulk-texts', { set: { title: '' } })).totals).toMatchObject({ blocked: 1 });
    expect((await plan('/bulk-texts', { set: { title: 'B' } })).totals).toMatchObject({
      changed: 1,
      blocked: 0,
    });
  });
});
