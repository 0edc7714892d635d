import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { type Atelier, openAtelier, recipe } from '../testing/derived.js';
import { brokenPng, form } from '../testing/harness.js';

let server: Atelier['server'];
let api: Atelier['api'];
let publicly: Atelier['publicly'];
let addPicture: Atelier['addPicture'];
let renditionsOf: Atelier['renditionsOf'];
beforeAll(async () => {
  ({ server, api, publicly, addPicture, renditionsOf } = await openAtelier());
});
afterAll(() => server.close());

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
      recipes: ['page'],
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

describe('failures', () => {
  test('are grouped by why, and tried again together', async () => {
    await api('POST', '/recipes', recipe('any', '/cut', 100));
    for (const [n, name] of ['one.png', 'two.png'].entries())
      await server.call('POST', '/api/v1/assets', {
        body: form('/cut', [{ name, data: await brokenPng(90, 60, n) }]),
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
    const { store } = server;
    const stageWrittenFile = store.stageWrittenFile.bind(store);
    let refusals = 0;
    let body = { run: { id: '' } };
    store.stageWrittenFile = (path, facts) => {
      const staged = stageWrittenFile(path, facts);
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
      store.stageWrittenFile = stageWrittenFile;
    }
    expect(refusals).toBe(1);
    const { body: items } = await api('GET', `/runs/${body.run.id}/items`);
    expect(items.items[0]).toMatchObject({ state: 'done', attempts: 2 });
    expect(await renditionsOf(asset.id)).toEqual({ onto: 'fresh' });
  });
});

test("the workers' view counts what was done, and what waits", async () => {
  const countOf = ({ throughput }: { throughput: { done: number }[] }) =>
    throughput.reduce((sum, { done }) => sum + done, 0);
  await addPicture('/view', 'a.jpg', 19);
  const { body: waiting } = await api('GET', '/workers?minutes=10');
  expect(waiting.queue).toEqual([{ kind: 'renditions', waiting: 1, working: 0 }]);
  await server.workUntilIdle();
  const { body } = await api('GET', '/workers?minutes=10');
  expect(body.queue).toEqual([]);
  expect(countOf(body)).toBe(countOf(waiting) + 1);
});
