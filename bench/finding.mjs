// @ts-check
// The first page of every single-condition filter over 1,000,000 assets, with its count, against reading one row by its
// primary key.
import { createConnection } from 'mysql2/promise';
import { openDatabase } from '../server/dist/index.js';
import { findAssets } from '../server/dist/library/asset-queries.js';
import { recountFacets } from '../server/dist/library/facet-queries.js';
import { findPage, resolveSearch } from '../server/dist/library/find-pages.js';
import { startStack } from '../tools/stack.mjs';
import { median, report, seconds } from './measure.mjs';

const ASSETS = Number(process.env.BENCH_ASSETS ?? 1_000_000);
const FOLDERS = 200;
const ROUNDS = 9;
const WORDS = [
  'storm',
  'dusk',
  'fog',
  'harbour',
  'lamp',
  'cliff',
  'gull',
  'tower',
  'winter',
  'signal',
  'keeper',
  'boat',
];
const CREDITS = ['Edda Marrow', 'Tam Hollin', 'Isbel Crane', 'Wyn Tarrant'];
const MIMES = [
  'image/jpeg',
  'image/jpeg',
  'image/jpeg',
  'image/webp',
  'image/png',
  'application/pdf',
  'audio/wav',
  'video/webm',
];
const KINDS = ['image', 'image', 'image', 'image', 'image', 'document', 'audio', 'video'];

const FILTERS = [
  'kind:image',
  'kind:video',
  'type:jpg',
  'type:wav',
  'folder:/many/f7',
  'size>2mb',
  'size:4999000..5mb',
  'size<100',
  'width>3000',
  'width:1600',
  'height<500',
  'ratio:3:2',
  'ratio:portrait',
  'title:none',
  'alt:none',
  'alt:any',
  'caption:none',
  'credit:none',
  'keyword:storm',
  'keyword:rare7',
  'captured:2024-05',
  'captured:2021..2023',
  'captured:none',
  'added:2026-02-01..2026-02-03',
  'used:no',
  'used:yes',
  'recipe:wide',
  'recipe:wide=failed',
  'copy:server',
  'duplicate:yes',
  'storm',
  'rareword7',
  'not kind:image',
];

/** A small generator of its own, so that every run has the same library. @param {number} n */
function noise(n) {
  let h = Math.imul(n ^ 0x9e3779b9, 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  h = Math.imul(h ^ (h >>> 16), 0x45d9f3b);
  return (h ^ (h >>> 15)) >>> 0;
}

/** @param {number} n */
function makeRow(n) {
  const r = noise(n);
  const kind = r % 8;
  const width = kind < 5 ? 400 + (r % 4000) : null;
  const height = width === null ? null : r % 7 === 0 ? Math.round(width * 1.5) : Math.round(width / 1.5);
  const word = WORDS[r % WORDS.length] ?? '';
  const keywords = r % 10 < 7 ? [word, WORDS[(r >> 4) % WORDS.length] ?? '', `rare${n % 50_000}`] : [];
  const created = new Date(Date.UTC(2026, 0, 1) + n * 5000);
  const captured = r % 9 === 0 ? null : new Date(Date.UTC(2018, 0, 1) + (r % 250_000_000) * 1000);
  return [
    n + 1,
    100 + (r % FOLDERS),
    `${word}-${n}.x`,
    `${word}-${n}`,
    KINDS[kind],
    MIMES[kind],
    // One in a thousand is a duplicate.
    (n % 2000 === 1 ? n - 1 : n).toString(16).padStart(64, '0'),
    r % 5_000_000,
    width,
    height,
    r % 3 === 0 ? null : `The ${word} of ${n % 90_000 === 0 ? 'rareword7' : WORDS[(r >> 8) % WORDS.length]}`,
    r % 4 === 0 ? null : `A ${WORDS[(r >> 6) % WORDS.length]} at sea`,
    null,
    r % 5 === 0 ? null : CREDITS[r % 4],
    JSON.stringify(keywords),
    captured,
    'bench',
    'api',
    'x',
    '{"name":"x","outcome":"accepted","reasons":[]}',
    created,
  ];
}

const COLUMNS =
  'id, folder_id, name, address_stem, kind, mime, sha256, bytes, width, height, title, alt, caption, credit, keywords, captured_at, origin_by, origin_via, sent_as, verdict, created_at';

/** @param {import('mysql2/promise').Connection} db */
async function fill(db) {
  const [created] = await db.query('SHOW CREATE TABLE assets');
  const keys = [
    ...String(/** @type {any} */ (created)[0]['Create Table']).matchAll(
      /^ {2}((?:UNIQUE |FULLTEXT )?KEY `(\w+)` .*?),?$/gm,
    ),
  ];
  await db.query(`ALTER TABLE assets ${keys.map(([, , name]) => `DROP KEY ${name}`).join(', ')}`);
  await db.query('SET unique_checks = 0, foreign_key_checks = 0');
  await db.query("INSERT INTO folders (id, parent_id, path) VALUES (99, 1, '/many')");
  await db.query('INSERT INTO folders (id, parent_id, path) VALUES ?', [
    Array.from({ length: FOLDERS }, (_, n) => [100 + n, 99, `/many/f${n}`]),
  ]);
  for (let start = 0; start < ASSETS; start += 5000) {
    const rows = Array.from({ length: Math.min(5000, ASSETS - start) }, (_, i) => makeRow(start + i));
    await db.query(`INSERT INTO assets (${COLUMNS}) VALUES ?`, [rows]);
    const blobs = rows.filter((_, i) => (start + i) % 2000 !== 1);
    await db.query('INSERT INTO blobs (sha256, bytes, crc32, holders) VALUES ?', [
      blobs.map((row) => [row[6], row[7], '00000000', (Number(row[0]) - 1) % 2000 === 0 ? 2 : 1]),
    ]);
    await db.query('INSERT INTO copies (sha256, store, store_key) VALUES ?', [
      blobs.map((row) => [row[6], 'server', 'x']),
    ]);
    const words = rows.flatMap((row) =>
      JSON.parse(String(row[14])).map((/** @type {string} */ word) => [word, row[0]]),
    );
    await db.query('INSERT IGNORE INTO asset_keywords (keyword, asset_id) VALUES ?', [words]);
    const made = rows
      .filter((row) => row[4] === 'image')
      .map((row) => [row[0], 'wide', Number(row[0]) % 100_000 === 1 ? 'failed' : 'fresh']);
    await db.query('INSERT INTO renditions (asset_id, recipe, state) VALUES ?', [made]);
  }
  await db.query('SET SESSION innodb_ft_enable_stopword = 0');
  const plain = keys.filter(([key]) => !key.includes('FULLTEXT'));
  await db.query(`ALTER TABLE assets ${plain.map(([, key]) => `ADD ${key}`).join(', ')}`);
  await db.query('ALTER TABLE assets ADD FULLTEXT KEY assets_words (words)');
  await db.query('UPDATE folders SET items = (SELECT COUNT(*) FROM assets WHERE folder_id = folders.id)');
  await db.query(
    "INSERT INTO counters (scope, name, items) SELECT CONCAT('recipe:', recipe), state, COUNT(*) FROM renditions GROUP BY recipe, state",
  );
  await db.query('ANALYZE TABLE assets, blobs, asset_keywords, renditions, copies');
}

export async function benchFinding() {
  const stack = await startStack({ name: 'bench', workers: 0, bufferPool: '2G' });
  const options = {
    host: '127.0.0.1',
    port: stack.database.port,
    user: stack.database.user,
    password: stack.database.password,
  };
  const plain = await createConnection({ ...options, database: 'uniferum' });
  const filling = await seconds(() => fill(plain));
  const db = openDatabase({ ...options, name: 'uniferum' }, { connections: 4 });
  const counting = await seconds(() => recountFacets(db));
  console.log(
    `        ${ASSETS.toLocaleString('en-GB')} assets filled in ${filling.toFixed(0)} s, counted in ${counting.toFixed(0)} s`,
  );
  const single = [];
  for (let n = 0; n < 400; n += 1)
    single.push(
      await seconds(() => plain.execute('SELECT * FROM assets WHERE id = ?', [1 + (noise(n) % ASSETS)])),
    );
  const one = median(single.slice(100));
  let worst = { q: '', ratio: 0, ms: 0, total: 0 };
  for (const q of FILTERS) {
    const times = [];
    let total = 0;
    for (let n = 0; n < ROUNDS; n += 1)
      times.push(
        await seconds(async () => {
          const search = await resolveSearch(db, { q, folder: '/', deep: true });
          const page = await findPage(db, search, { sort: '-created', limit: 60, cursor: undefined });
          await findAssets(db, page.ids);
          total = page.total;
        }),
      );
    const ms = median(times) * 1000;
    const ratio = ms / 1000 / one;
    console.log(
      `        ${q.padEnd(30)} ${total.toLocaleString('en-GB').padStart(10)}  ${ms.toFixed(1).padStart(7)} ms  ${ratio.toFixed(0).padStart(4)} ×`,
    );
    if (ratio > worst.ratio) worst = { q, ratio, ms, total };
  }
  await db.end();
  await plain.end();
  await stack.close();
  report(
    `finding: first page and count of the slowest single condition over ${ASSETS.toLocaleString('en-GB')} assets against one primary-key read`,
    worst.ratio,
    {
      atMost: 50,
      detail: `${worst.q}, ${worst.ms.toFixed(1)} ms against ${(one * 1000).toFixed(2)} ms`,
    },
  );
}
