// @ts-check
// A page of 60 of a folder of 100,000, against reading 60 rows by their primary keys.
import { createConnection } from 'mysql2/promise';
import { openDatabase } from '../server/dist/index.js';
import { findPageIds } from '../server/dist/library/asset-pages.js';
import { findAssets } from '../server/dist/library/asset-queries.js';
import { startStack } from '../tools/stack.mjs';
import { median, report, seconds } from './measure.mjs';

const ASSETS = 100_000;
const PAGE = 60;
const ROUNDS = 60;
const SHA = 'a'.repeat(64);

/** @param {import('mysql2/promise').Connection} db */
async function fillFolder(db) {
  await db.query("INSERT INTO folders (id, parent_id, path, items) VALUES (50, 1, '/many', ?)", [ASSETS]);
  await db.query("INSERT INTO blobs (sha256, bytes, crc32) VALUES (?, 1, '00000000')", [SHA]);
  for (let start = 0; start < ASSETS; start += 1000) {
    const rows = Array.from({ length: 1000 }, (_, i) => {
      const n = start + i;
      const time = new Date(Date.UTC(2026, 0, 1) + ((n * 7919) % ASSETS) * 1000);
      return [
        50,
        `picture-${(n * 7919) % ASSETS}.jpg`,
        `picture-${n}`,
        'image',
        'image/jpeg',
        SHA,
        (n * 31) % 5_000_000,
        '[]',
        'bench',
        'api',
        'x',
        '{"name":"x","outcome":"accepted","reasons":[]}',
        time,
        time,
      ];
    });
    await db.query(
      'INSERT INTO assets (folder_id, name, address_stem, kind, mime, sha256, bytes, keywords, origin_by, origin_via, sent_as, verdict, created_at, captured_at) VALUES ?',
      [rows],
    );
  }
  await db.query('ANALYZE TABLE assets');
}

export async function benchListing() {
  const stack = await startStack({ name: 'bench', workers: 0, bufferPool: '512M' });
  const options = {
    host: '127.0.0.1',
    port: stack.database.port,
    user: stack.database.user,
    password: stack.database.password,
  };
  const plain = await createConnection({ ...options, database: 'uniferum' });
  await fillFolder(plain);
  const db = openDatabase({ ...options, name: 'uniferum' }, { connections: 1 });

  /** @type {Record<string, number[]>} */
  const ratios = {};
  for (const sort of /** @type {const} */ (['-created', 'name', '-captured', 'size'])) {
    // Somewhere in the middle, where a page by offset would be slow.
    let cursor = /** @type {string | undefined} */ (undefined);
    for (let n = 0; n < ROUNDS; n += 1) {
      let ids = /** @type {number[]} */ ([]);
      const own = await seconds(async () => {
        const page = await findPageIds(db, { folders: ['50'], sort, limit: PAGE, cursor });
        ids = page.ids;
        cursor = page.next ?? undefined;
        await findAssets(db, ids);
      });
      const other = await seconds(() => plain.query('SELECT * FROM assets WHERE id IN (?)', [ids]));
      const known = ratios[sort] ?? [];
      known.push(own / other);
      ratios[sort] = known;
    }
  }
  await db.end();
  await plain.end();
  await stack.close();
  for (const [sort, values] of Object.entries(ratios))
    report(
      `listing: time of a page of ${PAGE} of 100,000 by ${sort} against reading ${PAGE} rows by primary key`,
      median(values),
      { atMost: 5 },
    );
}
