// @ts-check
// Compares the final state with the responses that the clients received.
import { readdir } from 'node:fs/promises';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { createPool } from 'mysql2/promise';
import { findBroken } from '../../server/dist/house/invariants.js';
import { DiskStore } from '../../server/dist/stores/disk-store.js';

const CALM_MS = 120_000;
const ASIDE_MS = 90_000;
const PROBED = 5;

/**
 * @typedef {object} Verdict each a list of what was found, empty when all is well
 * @property {string[]} lost files that were acknowledged and aren't there, or not with their bytes and texts
 * @property {string[]} doubled files that came in more often than they were sent
 * @property {string[]} halfKept what must never be the case in the database and the store
 * @property {string[]} counters counts that are not what there is
 * @property {string[]} staging what stays in staging when nobody works
 * @property {string[]} hung runs that don't end, requests without an answer
 * @property {string[]} blamed files and items that failed through no fault of their own
 * @property {string[]} events events that a listener missed, or heard twice or out of order
 */

/**
 * @param {object} options
 * @param {import('./installation.mjs').Installation} options.installation
 * @param {import('./caller.mjs').Caller} options.caller
 * @param {import('./tools.mjs').Ledger} options.ledger
 * @param {import('./outside.mjs').Listener} options.listener
 * @returns {Promise<{ verdict: Verdict, figures: Record<string, number> }>}
 */
export async function judge({ installation, caller, ledger, listener }) {
  const database = installation.database();
  const db = createPool({
    host: database.host,
    port: database.port,
    user: database.user,
    password: database.password,
    database: 'uniferum',
    supportBigNumbers: true,
  });
  try {
    const hung = await waitForCalm(caller);
    const { lost, doubled } = await compareFiles({ caller, ledger, installation });
    const staging = await clearStaging(installation.dataDir);
    const broken = await findBroken(/** @type {any} */ (db), new DiskStore(installation.dataDir), {
      hash: true,
    });
    const lines = broken.map(({ what, times, examples }) => `${times} ${what}: ${examples.join(', ')}`);
    const isCount = (/** @type {string} */ line) => /^\d+ counts of /.test(line);
    const { missed, events } = await compareEvents(db, listener);
    return {
      verdict: {
        lost,
        doubled,
        halfKept: lines.filter((line) => !isCount(line)),
        counters: lines.filter(isCount),
        staging: staging.left,
        hung: [...hung, ...caller.faults],
        blamed: [...ledger.wrong, ...(await findFailedItems(caller))],
        events: missed,
      },
      figures: {
        files: ledger.files.size,
        requests: caller.requests,
        attempts: caller.attempts,
        events,
        swept: staging.swept,
      },
    };
  } finally {
    await db.end();
  }
}

/** Waits until no run goes on; names those that don't end. @param {import('./caller.mjs').Caller} caller */
async function waitForCalm(caller) {
  const until = Date.now() + CALM_MS;
  for (;;) {
    const runs = await caller.list('/runs?');
    const active = runs.filter(({ state }) => ['waiting', 'working', 'stopping'].includes(state));
    if (active.length === 0) return [];
    if (Date.now() > until)
      return active.map(
        ({ id, kind, state, heldReason }) => `run ${id} (${kind}) is still ${state}: ${heldReason}`,
      );
    await delay(250);
  }
}

/** @param {Pick<Parameters<typeof judge>[0], 'caller' | 'ledger' | 'installation'>} options */
async function compareFiles({ caller, ledger, installation }) {
  const assets = await caller.list('/assets?folder=/&deep=true');
  const byPlace = new Map(assets.map((asset) => [`${asset.folder.path}/${asset.name}`, asset]));
  const lost = [...ledger.files].flatMap(([place, file]) => compareFile(place, file, byPlace.get(place)));
  // A taken name gets a number, so a file imported twice shows up as an unknown file.
  const doubled = [...byPlace.keys()].filter((place) => !ledger.files.has(place));
  const binned = await caller.list('/bin?');
  const inBin = new Set(binned.map((asset) => `${asset.folder.path}/${asset.name}`));
  for (const place of ledger.gone)
    if (inBin.has(place)) doubled.push(`${place} was purged and is in the bin`);
  for (const left of await waitUntilEmpty(installation.inbox)) doubled.push(`${left} is still in the inbox`);
  // The API's description of the bytes must match the bytes it delivers.
  for (const asset of assets.slice(0, PROBED))
    await caller.ask({ method: 'GET', path: `/assets/${asset.id}/content` });
  return { lost, doubled };
}

/** @param {string} place @param {{ sha256: string, texts?: Record<string, unknown> }} file @param {any} asset */
function compareFile(place, file, asset) {
  if (!asset) return [`${place} is not there`];
  if (asset.sha256 !== file.sha256) return [`${place} has other bytes`];
  return Object.entries(file.texts ?? {})
    .filter(([text, value]) => JSON.stringify(asset[text] ?? null) !== JSON.stringify(value))
    .map(
      ([text, value]) => `${place}: ${text} is ${JSON.stringify(asset[text])}, not ${JSON.stringify(value)}`,
    );
}

/** What a killed worker had renamed aside gets its name back after a minute. @param {string} inbox */
async function waitUntilEmpty(inbox) {
  const until = Date.now() + ASIDE_MS;
  for (;;) {
    const left = await filesBelow(inbox);
    if (left.length === 0 || Date.now() > until) return left;
    await delay(500);
  }
}

/** @param {string} folder */
async function filesBelow(folder) {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true });
  return entries.filter((entry) => entry.isFile()).map(({ parentPath, name }) => join(parentPath, name));
}

/** @param {import('./caller.mjs').Caller} caller */
async function findFailedItems(caller) {
  const runs = await caller.list('/runs?');
  const failed = [];
  for (const run of runs.filter((run) => run.failed > 0))
    for (const item of await caller.list(`/runs/${run.id}/items?state=failed`))
      failed.push(
        `${run.kind} ${item.label ?? item.id} failed: ${item.error ?? item.reason ?? JSON.stringify(item)}`,
      );
  return failed;
}

/** Sweeps what killed processes left, and says what stays. @param {string} dataDir */
async function clearStaging(dataDir) {
  const staging = join(dataDir, 'staging');
  const before = await readdir(staging);
  await new DiskStore(dataDir).sweepStaging(0);
  const left = await readdir(staging);
  return { left: left.map((name) => `${name} stays in staging`), swept: before.length - left.length };
}

/** @param {import('mysql2/promise').Pool} db @param {import('./outside.mjs').Listener} listener */
async function compareEvents(db, listener) {
  const newest = await newestEvent(db);
  const until = Date.now() + 20_000;
  while ((listener.heard.at(-1) ?? 0) < newest && Date.now() < until) await delay(100);
  const first = listener.heard[0] ?? 0;
  const [rows] = await db.query('SELECT seq FROM events WHERE seq BETWEEN ? AND ? ORDER BY seq', [
    first,
    newest,
  ]);
  const expected = /** @type {{ seq: number }[]} */ (rows).map(({ seq }) => Number(seq));
  const heard = listener.heard.filter((id) => id <= newest);
  const missed = [];
  if (heard.length !== new Set(heard).size)
    missed.push(`${heard.length - new Set(heard).size} were heard twice`);
  if (heard.some((id, n) => n > 0 && id < (heard[n - 1] ?? 0))) missed.push('some came out of order');
  const known = new Set(heard);
  const absent = expected.filter((seq) => !known.has(seq));
  if (absent.length > 0) missed.push(`${absent.length} were never heard: ${absent.slice(0, 10).join(', ')}`);
  return { missed, events: expected.length };
}

/** @param {import('mysql2/promise').Pool} db */
async function newestEvent(db) {
  for (;;) {
    const [rows] = await db.query('SELECT MAX(seq) AS newest, SUM(seq IS NULL) AS unnumbered FROM events');
    const [{ newest, unnumbered }] = /** @type {any} */ (rows);
    if (Number(unnumbered) === 0) return Number(newest);
    await delay(100);
  }
}
