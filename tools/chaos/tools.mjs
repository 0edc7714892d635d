// @ts-check
// The actions that clients repeat.
import { createHash } from 'node:crypto';
import { buffer } from 'node:stream/consumers';
import sharp from 'sharp';
import yazl from 'yazl';

/** @typedef {import('./people.mjs').Place} Place */
/** @typedef {import('../random.mjs').Random} Random */

/** The expected final state. */
export class Ledger {
  /** Files by folder and name. @type {Map<string, { sha256: string, texts?: Record<string, unknown> }>} */
  files = new Map();
  /** Files that must be nowhere. @type {Set<string>} */
  gone = new Set();
  /** What was wrong at once. @type {string[]} */
  wrong = [];

  /** @param {string} folder @param {string} name @param {Buffer} data @param {Record<string, unknown>} [texts] */
  keep(folder, name, data, texts) {
    this.files.set(`${folder}/${name}`, { sha256: digest(data), ...(texts && { texts }) });
  }
}

/** @param {Buffer} data */
export const digest = (data) => createHash('sha256').update(data).digest('hex');

/** A small picture that no other one is like, byte for byte. @param {Random} random */
export async function picture(random) {
  const [width, height] = [random.between(60, 200), random.between(60, 200)];
  return sharp(random.bytes(width * 3), { raw: { width, height: 1, channels: 3 } })
    .resize(width, height, { fit: 'fill' })
    .jpeg()
    .toBuffer();
}

/** @param {Random} random @param {string} stem */
export async function someFile(random, stem) {
  return random.next() < 0.4
    ? { name: `${stem}.jpg`, data: await picture(random) }
    : { name: `${stem}.bin`, data: random.bytes(random.between(1, 60_000)) };
}

/** @param {Random} random @param {string} stem @param {number} count */
export const someFiles = (random, stem, count) =>
  Promise.all(Array.from({ length: count }, (_, n) => someFile(random, `${stem}-${n}`)));

/** @param {string} folder @param {{ name: string, data: Buffer }[]} files @param {Record<string, string>} [fields] */
export function form(folder, files, fields = {}) {
  const body = new FormData();
  for (const [name, value] of Object.entries({ folder, ...fields })) body.append(name, value);
  for (const { name, data } of files) body.append('file', new Blob([/** @type {any} */ (data)]), name);
  return body;
}

/** @param {{ name: string, data: Buffer }[]} files */
export async function zip(files) {
  const archive = new yazl.ZipFile();
  for (const { name, data } of files) archive.addBuffer(data, name);
  archive.end();
  return buffer(/** @type {any} */ (archive.outputStream));
}

/** @param {Place} place @param {string} folder @param {{ name: string, data: Buffer }[]} files @param {string} once */
export async function upload({ caller, ledger }, folder, files, once) {
  const { status, body } = await caller.ask({
    method: 'POST',
    path: '/assets',
    body: () => form(folder, files),
    once,
  });
  for (const { name, data } of files) ledger.keep(folder, name, data);
  return /** @type {{ id: string, name: string }[]} */ (
    status === 207 ? body.results.map((/** @type {any} */ { asset }) => asset) : [body]
  );
}

/** @param {Place} place @param {string} run @param {number} total */
export async function endOf({ caller, ledger }, run, total) {
  const ended = await caller.waitForRun(run);
  if (ended.state !== 'done' || ended.done + ended.skipped !== total)
    ledger.wrong.push(
      `run ${run} (${ended.kind}) of ${total} ended as ${ended.state}: ${ended.done} done, ${ended.skipped} skipped, ${ended.failed} failed`,
    );
  return ended;
}
