import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest';
import { inTransaction } from '../shared/database.js';
import { carryOutUpgrades } from '../shared/upgrades.js';
import { type Atelier, openAtelier, recipe } from '../testing/derived.js';
import { photo } from '../testing/harness.js';
import { recountRecipe } from './apply.js';
import { adoptEarlierRenditions, applyToMoreTypes, outdateEmbeddedMetadata } from './upgrade.js';

let server: Atelier['server'];
let api: Atelier['api'];
let publicly: Atelier['publicly'];
let addPicture: Atelier['addPicture'];
let renditionsOf: Atelier['renditionsOf'];
beforeAll(async () => {
  ({ server, api, publicly, addPicture, renditionsOf } = await openAtelier());
});
afterAll(() => server.close());

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
          'It was created by revision 1 of the recipe; the current revision is 2 (step 1: width 300 → 500).',
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

  test('what an earlier server made with metadata is outdated after an upgrade, once, and says why', async () => {
    const output = { format: 'jpeg', quality: 80, metadata: 'rights' };
    await api('POST', '/recipes', recipe('leaky', '/leaky', 100, { output }));
    await api('POST', '/recipes', recipe('clean', '/leaky', 100));
    const asset = await addPicture('/leaky', 'a.jpg', 64);
    await server.workUntilIdle();
    await server.db.query("UPDATE renditions SET content = 'before' WHERE recipe = 'leaky'");
    await server.db.query(
      "INSERT IGNORE INTO upgrades_due (name) VALUES ('embedded-metadata'), ('of a newer server')",
    );
    const upgrade = vi.fn(outdateEmbeddedMetadata);
    for (let n = 0; n < 2; n += 1) await carryOutUpgrades(server.db, { 'embedded-metadata': upgrade });
    expect(upgrade).toHaveBeenCalledTimes(1);
    expect(await renditionsOf(asset.id)).toEqual({ leaky: 'outdated', clean: 'fresh' });
    const { reasons } = (await api('GET', `/assets/${asset.id}/renditions/leaky`)).body;
    expect(reasons[0].message).toMatch(/^It was created by an earlier version of Uniferum/);
    await api('POST', '/recipes/rebuild', { recipes: ['leaky'], only: 'outdated' });
    await server.workUntilIdle();
    expect(await renditionsOf(asset.id)).toEqual({ leaky: 'fresh', clean: 'fresh' });
    const [left] = await server.db.query('SELECT name FROM upgrades_due');
    expect(left).toContainEqual({ name: 'of a newer server' });
    expect(left).not.toContainEqual({ name: 'embedded-metadata' });
    await server.db.query('DELETE FROM upgrades_due');
  });

  test('files of types that an earlier server could not decode get renditions after an upgrade', async () => {
    await api('POST', '/recipes', recipe('older', '/older', 100));
    const asset = await addPicture('/older', 'a.jpg', 65);
    await server.workUntilIdle();
    // As it was: no recipe applied to it.
    await server.db.query("DELETE FROM renditions WHERE recipe = 'older'");
    await inTransaction(server.db, (tx) => recountRecipe(tx, 'older'));
    expect(await renditionsOf(asset.id)).toEqual({});
    await carryOutUpgrades(server.db, { 'more-types': applyToMoreTypes });
    expect(await renditionsOf(asset.id)).toEqual({});
    await server.db.query("INSERT INTO upgrades_due (name) VALUES ('more-types')");
    await carryOutUpgrades(server.db, { 'more-types': applyToMoreTypes });
    expect(await renditionsOf(asset.id)).toEqual({ older: 'due' });
    await api('POST', '/recipes/rebuild', { recipes: ['older'], only: 'missing' });
    await server.workUntilIdle();
    expect(await renditionsOf(asset.id)).toEqual({ older: 'fresh' });
  });

  test('an upgrade that was interrupted is done again', async () => {
    await server.db.query("INSERT IGNORE INTO upgrades_due (name) VALUES ('fails')");
    const fails = vi
      .fn()
      .mockRejectedValueOnce(new Error('the server was stopped'))
      .mockResolvedValue(undefined);
    await expect(carryOutUpgrades(server.db, { fails })).rejects.toThrow('stopped');
    await carryOutUpgrades(server.db, { fails });
    expect(fails).toHaveBeenCalledTimes(2);
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

  test("the matrix shows each asset with its recipes, and its counts agree with the recipes'", async () => {
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
