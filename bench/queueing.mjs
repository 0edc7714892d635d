// @ts-check
// How quickly a rebuild knows that nothing is to be done, and how quickly a hundred thousand items are queued.

import mysql from 'mysql2/promise';
import { createClient } from '../client/dist/index.js';
import { startStack } from '../tools/stack.mjs';
import { report, seconds } from './measure.mjs';

const UP_TO_DATE = 10_000;
const QUEUED = 100_000;
const ROWS = 2000;

export async function benchQueueing() {
  const stack = await startStack({ name: 'bench', workers: 0, bufferPool: '512M' });
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key, timeoutMs: 120_000 });
  const db = await mysql.createConnection({
    host: '127.0.0.1',
    port: stack.database.port,
    user: stack.database.user,
    password: stack.database.password,
    database: 'uniferum',
  });
  for (const name of ['wide', 'tile'])
    await uniferum.recipes.make({ name, title: name, steps: [{ op: 'fit', mode: 'inside', width: 300 }] });
  await uniferum.assets.upload({ folder: '/bench', files: [{ name: 'one.txt', data: new Blob(['one']) }] });
  await fill(db, UP_TO_DATE, 'fresh');
  const nothing = await seconds(async () => {
    const { run } = await uniferum.recipes.rebuild({ only: 'unfinished' });
    if (run.total !== 0 || run.state !== 'done')
      throw new Error(`Expected nothing to do, got ${run.total} items`);
  });
  report(`queueing: a rebuild of ${UP_TO_DATE} up-to-date assets is recognised as nothing to do`, nothing, {
    atMost: 2,
    unit: ' s',
  });
  await fill(db, QUEUED, 'outdated');
  const queued = await seconds(async () => {
    const { run } = await uniferum.recipes.rebuild({ only: 'outdated' });
    if (run.total !== QUEUED) throw new Error(`Expected ${QUEUED} items, got ${run.total}`);
  });
  report(`queueing: ${QUEUED} items queued by one rebuild`, queued, { atMost: 5, unit: ' s' });
  await db.end();
  await stack.close();
}

/** Copies the one asset that is there, with a rendition by each recipe in a state. @param {mysql.Connection} db @param {number} count @param {string} state */
async function fill(db, count, state) {
  const [[{ folder, first }]] = /** @type {any} */ (
    await db.query('SELECT MIN(folder_id) AS folder, MAX(id) AS first FROM assets')
  );
  const [columns] = /** @type {any} */ (await db.query('SHOW COLUMNS FROM assets'));
  const copied = columns
    .filter(
      (/** @type {{ Field: string, Extra: string }} */ { Field, Extra }) =>
        Field !== 'id' &&
        Field !== 'name' &&
        Field !== 'address_stem' &&
        !/GENERATED|PERSISTENT|STORED/i.test(Extra),
    )
    .map((/** @type {{ Field: string }} */ { Field }) => `\`${Field}\``)
    .join(', ');
  for (let at = 0; at < count; at += ROWS) {
    const rows = Array.from(
      { length: Math.min(ROWS, count - at) },
      (_, n) => `SELECT '${state}-${at + n}.jpg' AS name`,
    );
    await db.query(
      `INSERT INTO assets (name, address_stem, ${copied}) SELECT names.name, names.name, ${copied} FROM assets JOIN (${rows.join(' UNION ALL ')}) AS names WHERE assets.id = (SELECT MIN(id) FROM assets)`,
    );
  }
  await db.query(
    `INSERT INTO renditions (asset_id, recipe, state, sha256, mime, width, height, bytes)
     SELECT assets.id, recipes.name, ?, REPEAT('a', 64), 'image/jpeg', 300, 200, 9000 FROM assets JOIN recipes WHERE assets.id > ? AND assets.folder_id = ?`,
    [state, first, folder],
  );
}
