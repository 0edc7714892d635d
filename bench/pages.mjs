// @ts-check
// Indexing documents against the HTML parser alone, rewriting them against sed, and where an asset is used against one key read.
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createClient } from '@uniferum/client';
import { AddressMap, applyEdits, findReferences, planEdits } from '@uniferum/core/pages';
import { Parser } from 'htmlparser2';
import { VAR } from '../tools/prepare.mjs';
import { randomFrom } from '../tools/random.mjs';
import { startStack } from '../tools/stack.mjs';
import { median, report, seconds } from './measure.mjs';

const DOCUMENTS = 10_000;
const REFERENCES_PER_DOCUMENT = 8;
const DOCUMENT_BYTES = 20_000;
const ADDRESSES = 500;
const FOLDER = join(VAR, 'bench-pages');

const WORDS = 'the lamp was lit at dusk and the keeper wrote the weather into the book before he slept'.split(
  ' ',
);
const addressOf = (/** @type {number} */ n) => `/media/lights/light-${n}/view-${n}~wide.webp`;

/** A page of prose with pictures. @param {number} n */
function page(n) {
  const { below } = randomFrom(n + 1);
  const parts = [`<!doctype html><html><head><meta charset="utf-8"><title>Page ${n}</title></head><body>`];
  let bytes = 100;
  for (let count = 0; bytes < DOCUMENT_BYTES; count += 1) {
    const words = Array.from({ length: 40 }, () => WORDS[below(WORDS.length)]).join(' ');
    const picture =
      count < REFERENCES_PER_DOCUMENT ? `<img src="${addressOf(below(ADDRESSES))}" alt="A light">` : '';
    const part = `<p class="text">${words} &amp; more.</p>\n${picture}`;
    parts.push(part);
    bytes += part.length;
  }
  return `${parts.join('')}</body></html>\n`;
}

/** The figures by name: `npm run bench -- pages database` takes one. @type {Record<string, (documents: readonly string[], parser: number) => Promise<void>>} */
const PARTS = {
  finding: benchFinding,
  files: benchRewriting,
  indexing: benchIndexing,
  database: benchDatabase,
  typing: benchEditor,
};

/** @param {readonly string[]} wanted the parts to be measured; all when none is named */
export async function benchPages(wanted) {
  const parts = Object.entries(PARTS).filter(([name]) => wanted.includes(name));
  rmSync(FOLDER, { recursive: true, force: true });
  const documents = Array.from({ length: DOCUMENTS }, (_, n) => page(n));
  const parser = await timeParser(documents);
  for (const [, measure] of parts.length > 0 ? parts : Object.entries(PARTS))
    await measure(documents, parser);
  rmSync(FOLDER, { recursive: true, force: true });
}

/** @param {readonly string[]} documents */
function timeParser(documents) {
  return seconds(async () => documents.forEach(parseAlone));
}

/** @param {string} text */
function parseAlone(text) {
  const parser = new Parser({ onopentag() {}, ontext() {}, onclosetag() {} });
  parser.write(text);
  parser.end();
}

/** @param {readonly string[]} documents @param {number} parser */
async function benchFinding(documents, parser) {
  let found = 0;
  const own = await seconds(async () => {
    for (const text of documents)
      found += findReferences({ text, format: 'html', encoding: null }).references.length;
  });
  if (found !== DOCUMENTS * REFERENCES_PER_DOCUMENT) throw new Error(`${found} references were found`);
  report('pages: finding the references of 10,000 documents against the HTML parser alone', parser / own, {
    atLeast: 0.6,
    detail: `${(DOCUMENTS / own).toFixed(0)} documents/s`,
  });
}

/** @param {readonly string[]} documents */
async function benchRewriting(documents) {
  const pairs = Array.from({ length: ADDRESSES }, (_, n) => ({
    from: addressOf(n),
    to: `https://bucket.example/x/${n}.webp`,
  }));
  const map = new AddressMap({ pairs }, 'https://site.example/');
  const [own, other] = [join(FOLDER, 'own'), join(FOLDER, 'sed')];
  for (const folder of [own, other]) {
    mkdirSync(folder, { recursive: true });
    for (const [n, text] of documents.entries()) writeFileSync(join(folder, `${n}.html`), text);
  }
  const script = join(FOLDER, 'script.sed');
  const escaped = (/** @type {string} */ text) => text.replace(/[/.~]/g, '\\$&');
  writeFileSync(script, pairs.map(({ from, to }) => `s/${escaped(from)}/${escaped(to)}/g`).join('\n'));
  const bySed = await seconds(async () => {
    const files = documents.map((_, n) => join(other, `${n}.html`));
    const { status, stderr } = spawnSync('xargs', ['-n', '500', '-P', '1', 'sed', '-i', '-f', script], {
      input: files.join('\n'),
      encoding: 'utf8',
    });
    if (status !== 0) throw new Error(stderr);
  });
  const byUs = await seconds(async () => {
    for (const [n] of documents.entries()) {
      const path = join(own, `${n}.html`);
      const text = readFileSync(path, 'latin1');
      const found = findReferences({ text, format: 'html', encoding: 'utf-8' });
      const edits = planEdits(text, found.references, map.replacements(found, null));
      writeFileSync(path, applyEdits(text, edits), 'latin1');
    }
  });
  for (const n of [0, 1, DOCUMENTS - 1])
    if (readFileSync(join(own, `${n}.html`), 'utf8') !== readFileSync(join(other, `${n}.html`), 'utf8'))
      throw new Error(`Document ${n} differs from what sed made of it`);
  report(
    'pages: 500 addresses replaced in 10,000 files against a sed script of 500 expressions',
    bySed / byUs,
    {
      atLeast: 1,
      detail: `${(DOCUMENTS / byUs).toFixed(0)} against ${(DOCUMENTS / bySed).toFixed(0)} documents/s`,
    },
  );
}

/** @param {readonly string[]} documents */
async function benchIndexing(documents) {
  const stack = await startStack({ name: 'bench', workers: 1, env: { UNIFERUM_SOURCE_DIRS: VAR } });
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  const folder = join(FOLDER, 'indexed');
  mkdirSync(folder, { recursive: true });
  for (const [n, text] of documents.entries()) writeFileSync(join(folder, `${n}.html`), text);
  const source = await uniferum.sources.add({ name: 'Bench', settings: { path: folder } });
  const index = () =>
    seconds(async () => {
      const { run } = await uniferum.sources.index(source.id);
      await uniferum.runs.wait(run.id, { pollMs: 50 });
    });
  // The machine may be slower now than a minute ago.
  const before = await timeParser(documents);
  const first = await index();
  const parser = (before + (await timeParser(documents))) / 2;
  const { references } = await uniferum.sources.get(source.id);
  if (references !== DOCUMENTS * REFERENCES_PER_DOCUMENT)
    throw new Error(`${references} references are indexed`);
  report(
    'pages: indexing 10,000 documents with 80,000 references against the HTML parser alone',
    parser / first,
    {
      atLeast: 0.6,
      detail: `${(DOCUMENTS / first).toFixed(0)} documents/s; again, with nothing changed: ${(await index()).toFixed(1)} s`,
    },
  );
  await benchUses(stack, uniferum);
  await stack.close();
}

/** @param {Awaited<ReturnType<typeof startStack>>} stack @param {import('@uniferum/client').UniferumClient} uniferum */
async function benchUses(stack, uniferum) {
  const [result] = await uniferum.assets.upload({
    folder: '/bench',
    files: [{ name: 'used.txt', data: new Blob(['used']) }],
  });
  const asset = Number(result?.asset?.id);
  const { createPool } = await import('mysql2/promise');
  const { port, user, password } = stack.database;
  const pool = createPool({
    host: '127.0.0.1',
    port,
    user,
    password,
    database: 'uniferum',
    connectionLimit: 1,
  });
  const [[document]] = /** @type {any} */ (await pool.query('SELECT MAX(id) AS id FROM page_documents'));
  for (let n = 0; n < 1_000_000; n += 5000)
    await pool.query(
      'INSERT INTO page_references (document_id, source_id, position, attribute, address, state, asset_id) VALUES ?',
      [
        Array.from({ length: 5000 }, (_, at) => [
          document.id,
          1,
          n + at,
          'img src',
          '/x',
          'found',
          at === 0 ? asset : 1_000_000 + n + at,
        ]),
      ],
    );
  const time = async (/** @type {string} */ sql) => {
    const times = [];
    for (let n = 0; n < 200; n += 1) times.push(await seconds(() => pool.execute(sql, [asset])));
    return median(times);
  };
  const key = await time('SELECT id, name FROM assets WHERE id = ?');
  const uses = await time(
    `SELECT page_references.id, page_documents.path FROM page_references JOIN page_documents ON page_documents.id = page_references.document_id
     WHERE page_references.asset_id = ? AND page_references.id > 0 ORDER BY page_references.id LIMIT 61`,
  );
  await pool.end();
  report('pages: where an asset is used among 1,000,000 uses against one read by key', uses / key, {
    atMost: 5,
    detail: `${(uses * 1000).toFixed(2)} ms`,
  });
}

/** So many statements are timed; all 500 would take the same for each. */
const TIMED_STATEMENTS = 20;

/** @param {readonly string[]} documents */
async function benchDatabase(documents) {
  const stack = await startStack({
    ...{ name: 'bench', workers: 2, bufferPool: '1G' },
    env: { UNIFERUM_ALLOWED_HOSTS: '127.0.0.1' },
  });
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  const { createConnection } = await import('mysql2/promise');
  const { port, user, password } = stack.database;
  const place = { host: '127.0.0.1', port, user };
  const connection = await createConnection({ ...place, password });
  await connection.query('CREATE DATABASE site CHARACTER SET utf8mb4');
  for (const table of ['own', 'other']) {
    await connection.query(`CREATE TABLE site.${table} (id INT PRIMARY KEY, body MEDIUMTEXT NOT NULL)`);
    for (let at = 0; at < documents.length; at += 200)
      await connection.query(`INSERT INTO site.${table} (id, body) VALUES ?`, [
        documents.slice(at, at + 200).map((text, n) => [at + n, text]),
      ]);
  }
  const source = await uniferum.sources.add({
    ...{ kind: 'database', name: 'Bench', secret: password },
    settings: {
      ...{ ...place, database: 'site', table: 'own', key: 'id' },
      ...{ columns: [{ name: 'body' }], url: 'https://site.example/{id}', writable: true },
    },
  });
  // As often as a script asks by default: asking more often takes time from the work.
  const wait = async (/** @type {{ run: { id: string } }} */ { run }) => uniferum.runs.wait(run.id);
  await wait(await uniferum.sources.index(source.id));
  const map = Array.from({ length: ADDRESSES }, (_, n) => ({
    from: `https://site.example${addressOf(n)}`,
    to: `https://bucket.example/x/${n}.webp`,
  }));
  const byUs = await seconds(async () => wait(await uniferum.rewrites.begin({ sources: [source.id], map })));
  const byStatements =
    (ADDRESSES / TIMED_STATEMENTS) *
    (await seconds(async () => {
      for (let n = 0; n < TIMED_STATEMENTS; n += 1)
        await connection.query('UPDATE site.other SET body = REPLACE(body, ?, ?)', [
          addressOf(n),
          map[n]?.to,
        ]);
    }));
  const [[left]] = /** @type {any} */ (
    await connection.query("SELECT COUNT(*) AS n FROM site.own WHERE body LIKE '%/media/lights/%'")
  );
  if (left.n !== 0) throw new Error(`${left.n} documents still have an old address`);
  await connection.end();
  await stack.close();
  report(
    'pages: 500 addresses replaced in 10,000 documents of a database against 500 REPLACE statements',
    byStatements / byUs,
    { atLeast: 60, detail: `${byUs.toFixed(1)} s against ${byStatements.toFixed(0)} s (20 were timed)` },
  );
}

const PLACED = 200;

/** The longest frame while somebody types in a page with many pictures. */
async function benchEditor() {
  const stack = await startStack({ name: 'bench', workers: 1 });
  const uniferum = createClient({ baseUrl: stack.url, key: stack.key });
  const { default: sharp } = await import('sharp');
  const ids = [];
  for (let n = 0; n < 20; n += 1) {
    const background = { r: 8 * n, g: 90, b: 120 };
    const data = await sharp({ create: { width: 900, height: 600, channels: 3, background } })
      .jpeg()
      .toBuffer();
    const [sent] = await uniferum.assets.upload({
      folder: '/bench',
      files: [{ name: `${n}.jpg`, data: new Blob([/** @type {BlobPart} */ (data)]) }],
    });
    ids.push(sent?.asset?.id);
  }
  const parts = Array.from(
    { length: PLACED },
    (_, n) => `<p>Paragraph ${n}.</p><figure><img data-asset="${ids[n % ids.length]}" alt="x"></figure>`,
  );
  const { id } = await uniferum.pages.add({ title: 'Many', body: parts.join('') });
  const { chromium } = await import('@playwright/test');
  const { CHROMIUM } = await import('../tools/chromium.mjs');
  const browser = await chromium.launch(CHROMIUM);
  const page = await browser.newPage();
  await page.goto(stack.url);
  await page.getByLabel('Email').fill('keeper@skerry.example');
  await page.getByLabel('Password').fill('a lamp in the fog');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('navigation', { name: 'Stations' }).waitFor();
  await page.goto(`${stack.url}/pages/edit/${id}`);
  await page.getByText(`Paragraph ${PLACED - 1}.`).click();
  await page.waitForTimeout(3000);
  await page.evaluate(() => {
    const frames = /** @type {number[]} */ ([]);
    Object.assign(window, { frames });
    let last = performance.now();
    const next = (/** @type {number} */ now) => {
      frames.push(now - last);
      last = now;
      requestAnimationFrame(next);
    };
    requestAnimationFrame(next);
  });
  await page.keyboard.type('The keeper wrote the weather into the book before he slept. '.repeat(4), {
    delay: 30,
  });
  const frames = /** @type {number[]} */ (await page.evaluate(() => /** @type {any} */ (window).frames));
  await browser.close();
  await stack.close();
  const sorted = [...frames].sort((a, b) => a - b);
  const longest = sorted.at(-1) ?? Number.NaN;
  report(`pages: the longest of ${frames.length} frames while typing in a page with 200 pictures`, longest, {
    ...{ atMost: 50, unit: ' ms' },
    detail: `99th percentile ${(sorted[Math.floor(sorted.length * 0.99)] ?? Number.NaN).toFixed(1)} ms`,
  });
}
