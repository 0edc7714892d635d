import { endOf, someFiles, upload } from './tools.mjs';

/** @typedef {import('./people.mjs').Person} Person */

const EDITED = 25;

/** @type {Person} */
export const editor = {
  name: 'bulk edits and their undo',
  prepare: async (place) => {
    for (let n = 0; n < EDITED; n += 5)
      await upload(place, '/edited', await someFiles(place.random, `edited-${n}`, 5), `edited-${n}`);
    for (const [at, file] of place.ledger.files)
      if (at.startsWith('/edited/')) file.texts = { title: null, keywords: [] };
  },
  turn: async (place, n) => {
    const { caller, ledger } = place;
    const edit = await caller.ask({
      method: 'POST',
      path: '/assets/bulk',
      json: {
        select: { folder: '/edited' },
        change: { set: { title: `Round ${n}` }, append: { keywords: [`k${n}`] } },
      },
      once: `edit-${n}`,
    });
    await endOf(place, edit.body.run.id, EDITED);
    const edited = await caller.list('/assets?folder=/edited');
    const missed = edited.filter(
      ({ title, keywords }) => title !== `Round ${n}` || keywords.join() !== `k${n}`,
    );
    if (missed.length > 0 || edited.length !== EDITED)
      ledger.wrong.push(`edit ${n} left out ${missed.length} of ${edited.length} assets`);
    const undo = await caller.ask({
      method: 'POST',
      path: `/runs/${edit.body.run.id}/undo`,
      once: `undo-${n}`,
    });
    await endOf(place, undo.body.run.id, EDITED);
  },
};

/** @type {Person} */
export const replacer = {
  name: 'replaced content',
  prepare: async ({ caller }) => {
    await caller.ask({ method: 'POST', path: '/folders', json: { path: '/replaced' }, once: 'replaced' });
  },
  turn: async (place, n) => {
    const name = `replaced-${n % 3}.bin`;
    const data = place.random.bytes(place.random.between(1, 30_000));
    const present = await place.caller.list('/assets?folder=/replaced');
    const known = present.find((asset) => asset.name === name);
    if (known === undefined) {
      await upload(place, '/replaced', [{ name, data }], `replaced-${n}`);
      return;
    }
    await place.caller.ask({
      method: 'PUT',
      path: `/assets/${known.id}/content`,
      body: () => new Blob([/** @type {any} */ (data)]),
      headers: { 'Content-Type': 'application/octet-stream' },
    });
    place.ledger.keep('/replaced', name, data);
  },
};

/** @type {Person} */
export const binner = {
  name: 'bin, restore and purge',
  turn: async (place, n) => {
    const { caller, random, ledger } = place;
    const folder = `/binned/${n}`;
    const assets = await upload(place, folder, await someFiles(random, `binned-${n}`, 6), `binned-${n}`);
    for (const { id } of assets) await caller.ask({ method: 'DELETE', path: `/assets/${id}`, also: [404] });
    const [restored, purged] = [assets.slice(0, 3), assets.slice(3)];
    for (const { id } of restored)
      await caller.ask({ method: 'POST', path: `/assets/${id}/restore`, once: `restore-${id}` });
    const { body } = await caller.ask({
      method: 'POST',
      path: '/assets/bulk',
      json: { select: { ids: purged.map(({ id }) => id) }, action: 'purge' },
      once: `purge-${n}`,
    });
    for (const { name } of purged) {
      ledger.files.delete(`${folder}/${name}`);
      ledger.gone.add(`${folder}/${name}`);
    }
    await endOf(place, body.run.id, purged.length);
  },
};

const TREE = ['a', 'a/b', 'a/b/c', 'd'];

/** @type {Person} */
export const mover = {
  name: 'moved folders',
  prepare: async (place) => {
    for (const path of TREE)
      await upload(
        place,
        `/moved/${path}`,
        await someFiles(place.random, path.replaceAll('/', '-'), 2),
        `tree-${path}`,
      );
    await place.caller.ask({
      method: 'POST',
      path: '/folders',
      json: { path: '/moved-to' },
      once: 'moved-to',
    });
  },
  turn: async (place, n) => {
    const folders = await place.caller.list('/folders?within=/');
    const find = (/** @type {string} */ path) => folders.find((folder) => folder.path === path);
    const [from, to] = n % 2 === 0 ? ['/moved', '/moved-to'] : ['/moved-to', '/moved'];
    const folder = find(`${from}/a`);
    if (!folder) throw new Error(`${from}/a is gone`);
    await place.caller.ask({ method: 'PATCH', path: `/folders/${folder.id}`, json: { parent: to } });
    for (const [at, file] of [...place.ledger.files])
      if (at.startsWith(`${from}/a/`)) {
        place.ledger.files.delete(at);
        place.ledger.files.set(to + at.slice(from.length), file);
      }
  },
};

const FIRST_WIDTH = 30;

/** @param {number} width */
const recipe = (width) => ({
  name: 'small',
  title: 'Small',
  folders: ['/'],
  steps: [{ op: 'fit', mode: 'inside', width }],
  output: { format: 'jpeg', quality: 70 },
});

/** @type {Person} */
export const rebuilder = {
  name: 'changed recipes and rebuilds',
  prepare: async ({ caller }) => {
    await caller.ask({ method: 'POST', path: '/recipes', json: recipe(FIRST_WIDTH), once: 'recipe' });
  },
  turn: async ({ caller, random }, n) => {
    const { name: _name, ...changed } = recipe(FIRST_WIDTH + random.between(1, 20));
    await caller.ask({ method: 'PUT', path: '/recipes/small', json: changed });
    const { body } = await caller.ask({
      method: 'POST',
      path: '/recipes/rebuild',
      json: { only: 'unfinished' },
      once: `rebuild-${n}`,
    });
    await caller.waitForRun(body.run.id);
  },
};
