import { Readable } from 'node:stream';
import {
  canBeRendered,
  DECODABLE_MIMES,
  type FocalPoint,
  type Recipe,
  type RenditionState,
} from '@uniferum/core';
import { recordEvent } from '../hooks/outbox.js';
import { type AssetRow, findAsset, updateDuration, updatePlaceholder } from '../library/asset-queries.js';
import type { NewBlob } from '../library/blob-queries.js';
import { recordBlobs } from '../library/blobs.js';
import { updateHash } from '../library/similar-queries.js';
import { addToTallies, type TallyChange } from '../library/tallies.js';
import type { ItemResult } from '../runs/handler.js';
import type { Database, Transaction } from '../shared/database.js';
import type { ByteStore, StagedBytes } from '../stores/byte-store.js';
import { contentDigest, focalOf, marksDigest } from './digests.js';
import type { RenderJob, RenderResult, WrittenFile } from './engine/job.js';
import { PictureKilledError, type RenderPool } from './engine/pool.js';
import { type FoundMarks, findMarks, markFiles } from './find-marks.js';
import { deleteRenditions, findRenditions, type RenditionRow, updateRenditions } from './queries.js';
import { listRecipes } from './recipe-queries.js';
import { forgetRemoved } from './surplus-queries.js';

/** What making renditions needs. */
export interface Workbench {
  db: Database;
  store: ByteStore;
  pool: RenderPool;
  maxPixels: number;
}

/** Which renditions of an asset are to be made. */
export interface Wanted {
  /** Names; null for all but those that are made on request. */
  recipes: readonly string[] | null;
  /** Null for everything that is neither fresh nor surplus. */
  states?: readonly RenditionState[] | undefined;
}

/** Makes the renditions of one asset that are wanted. Repeating it finds them fresh and skips. */
export async function makeRenditions(
  bench: Workbench,
  assetId: string,
  wanted: Wanted,
  signal?: AbortSignal,
): Promise<ItemResult> {
  const { db, store } = bench;
  const asset = await findAsset(db, assetId);
  if (asset === null || asset.live === null) return { outcome: 'skipped', note: 'The asset is in the bin.' };
  const recipes = await chooseRecipes(db, asset, wanted);
  const isLooked =
    !canBeRendered(asset) ||
    (asset.placeholder !== null && (asset.phash !== null || !DECODABLE_MIMES.includes(asset.mime)));
  if (recipes.length === 0 && isLooked) return { outcome: 'skipped', note: 'Every rendition is fresh.' };
  const marks = await findMarks(db, recipes);
  let result: RenderResult<WrittenFile>;
  try {
    result = await render(bench, asset, { recipes, marks, look: !isLooked }, signal);
  } catch (error) {
    signal?.throwIfAborted();
    if (!(error instanceof PictureKilledError)) return explain(store, error);
    const reason = `${asset.name} can't be worked on: ${error.message}. Send a smaller version of it.`;
    return failAll(assetId, recipes, reason);
  }
  return toItemResult(store, asset, { recipes, marks, result });
}

async function render(
  { pool, store, maxPixels }: Workbench,
  asset: AssetRow,
  { recipes, marks, look }: { recipes: Recipe[]; marks: FoundMarks; look: boolean },
  signal: AbortSignal | undefined,
): Promise<RenderResult<WrittenFile>> {
  const missing = new Error(
    `The bytes of ${asset.name} are not in the store "${store.name}". Check that it is mounted.`,
  );
  // What was registered in place may have been changed there: then it is not the picture any more.
  if (!(await store.has(asset.sha256))) throw missing;
  const result = await pool.runInto(
    store.scratch(),
    jobFor(asset, recipes, { store, marks, maxPixels, look }),
    signal,
  );
  if (result.failed.length > 0 && !(await store.has(asset.sha256))) throw missing;
  return result;
}

/** What a rendering process is told of an asset. */
export function jobFor(
  asset: AssetRow,
  recipes: Recipe[],
  {
    store,
    marks,
    maxPixels,
    look,
  }: { store: ByteStore; marks: FoundMarks; maxPixels: number; look: boolean },
): RenderJob {
  return {
    file: {
      path: store.localPath(asset.sha256),
      sha256: asset.sha256,
      kind: asset.kind,
      mime: asset.mime,
    },
    recipes,
    focal: focalPoint(asset),
    marks: markFiles(marks, store),
    look,
    maxPixels,
  };
}

export function focalPoint({ focal_x, focal_y }: Pick<AssetRow, 'focal_x' | 'focal_y'>): FocalPoint | null {
  return focal_x === null || focal_y === null ? null : { x: focal_x, y: focal_y };
}

async function chooseRecipes(db: Database, asset: AssetRow, { recipes, states }: Wanted): Promise<Recipe[]> {
  const rows = (await findRenditions(db, [asset.id])).filter(({ variant }) => variant === '');
  const stateOf = new Map(rows.map(({ recipe, state }) => [recipe, state]));
  return (await listRecipes(db)).filter(({ name, when }) => {
    const state = stateOf.get(name);
    if (state === undefined || state === 'fresh' || state === 'surplus') return false;
    if (states && !states.includes(state)) return false;
    return recipes === null ? !(when === 'on-request' && state === 'due') : recipes.includes(name);
  });
}

interface Made {
  recipes: Recipe[];
  marks: FoundMarks;
  result: RenderResult<WrittenFile>;
}

function toItemResult(store: ByteStore, asset: AssetRow, made: Made): ItemResult {
  const { result } = made;
  const staged = result.made.map(({ path, sha256, crc32, bytes }) =>
    store.takeWritten(path, { sha256, crc32, bytes }),
  );
  const mains = result.made.filter(({ variant }) => variant === null);
  const failures = sayFailures(asset, result);
  return {
    outcome: failures === null ? 'done' : 'failed',
    note:
      mains.map(({ recipe, width, height }) => `${recipe} ${width} × ${height}`).join(', ') || 'looked at',
    ...(failures !== null && { error: failures }),
    persist: async () => {
      await Promise.all(staged.map((one) => keepOrExplain(store, one)));
    },
    record: (tx) => recordMade(tx, { asset, store, ...made }),
    release: async () => {
      await Promise.all(staged.map((one) => one.discard()));
    },
  };
}

/** One sentence for an item of which something failed; the renditions hold their own reasons. */
function sayFailures(asset: AssetRow, { failed }: Pick<RenderResult, 'failed'>): string | null {
  const [first] = failed;
  if (!first) return null;
  if (first.code === 'unreadable' && failed.every(({ reason }) => reason === first.reason))
    return unreadable(asset, first.reason);
  return failed.map(({ recipe, reason }) => `${asset.name} by ${recipe}: ${reason}.`).join(' ');
}

function unreadable({ name, kind }: AssetRow, reason: string): string {
  return kind === 'image' || kind === 'vector'
    ? `${name} can't be decoded: ${reason}. Open and save it again in a picture editor, and replace it.`
    : `No picture can be made of ${name}: ${reason}.`;
}

/** Keeps bytes that were made. @throws Error that says when the disk is full; trying again may go better */
export async function stageAndKeep(store: ByteStore, data: Uint8Array): Promise<StagedBytes> {
  const staged = await store
    .stage(Readable.from([data]), { limitBytes: Number.MAX_SAFE_INTEGER })
    .catch((error) => explain(store, error));
  await keepOrExplain(store, staged);
  return staged;
}

async function keepOrExplain(store: ByteStore, staged: StagedBytes): Promise<void> {
  await staged.keep().catch((error) => explain(store, error));
}

/** Says what is to be done about a full disk. */
function explain(store: ByteStore, error: unknown): never {
  if (error instanceof Error && /ENOSPC/.test(error.message))
    throw new Error(`The store "${store.name}" is full. Nothing was lost; free space there, and try again.`, {
      cause: error,
    });
  throw error;
}

function failAll(assetId: string, recipes: readonly Recipe[], error: string): ItemResult {
  const reasons = new Map(recipes.map(({ name }) => [name, error]));
  return { outcome: 'failed', error, record: async (tx) => recordFailures(tx, assetId, reasons) };
}

async function recordMade(
  tx: Transaction,
  { asset, recipes, marks, result, store }: Made & { asset: AssetRow; store: ByteStore },
): Promise<{ bytes: { before: number; after: number } }> {
  const id = String(asset.id);
  const rows = await findRenditions(tx, [asset.id], { lock: true });
  const current = new Map((await listRecipes(tx)).map((recipe) => [recipe.name, recipe]));
  const now = await findAsset(tx, id);
  const changed: Change[] = [];
  const blobs: NewBlob[] = [];
  const bytes = { before: 0, after: 0 };
  for (const recipe of recipes) {
    const own = rows.filter((row) => row.recipe === recipe.name);
    const main = own.find(({ variant }) => variant === '');
    const files = result.made.filter((file) => file.recipe === recipe.name);
    // The recipe was taken away meanwhile: nobody asks for it any more.
    if (!main || files.length === 0) continue;
    // Changed while it was being made: it is shown, and stays outdated.
    const recipeNow = current.get(recipe.name);
    const focal = focalOf(recipe, focalPoint(asset));
    const isCurrent =
      recipeNow !== undefined &&
      contentDigest(recipeNow) === contentDigest(recipe) &&
      now?.sha256 === asset.sha256 &&
      focalOf(recipe, focalPoint(now)) === focal;
    const origin = {
      revision: recipe.revision,
      version: asset.version,
      content: contentDigest(recipe),
      source_sha: asset.sha256,
      focal,
      marks: marksDigest(recipe, (path) => marks.get(path)?.sha256 ?? null),
      work_ms: result.workMs[recipe.name] ?? null,
    };
    for (const file of files) {
      const variant = file.variant ?? '';
      const before = own.find((row) => row.variant === variant) ?? null;
      const { mime, width, height, quality, likeness, sha256, crc32, bytes: size } = file;
      blobs.push({ sha256, crc32, bytes: size, store: store.name, key: store.keyOf(sha256) });
      changed.push({
        before,
        after: {
          asset_id: asset.id,
          recipe: recipe.name,
          variant,
          state: isCurrent ? 'fresh' : 'outdated',
          ...origin,
          sha256,
          bytes: size,
          mime,
          width,
          height,
          quality,
          likeness,
          error: null,
        },
      });
      bytes.after += size;
    }
    bytes.before += own.reduce((sum, row) => sum + (row.state === 'surplus' ? 0 : (row.bytes ?? 0)), 0);
    // Sizes that are made no more stay at their addresses, because a page may show them.
    for (const row of own)
      if (
        row.variant !== '' &&
        row.state !== 'surplus' &&
        !files.some(({ variant }) => variant === row.variant)
      )
        changed.push({ before: row, after: { ...row, state: 'surplus' } });
  }
  await recordBlobs(tx, blobs);
  await putRenditions(tx, changed);
  await forgetRemoved(
    tx,
    asset.id,
    changed.filter(({ before }) => before === null || before.sha256 === null).map(({ after }) => after),
  );
  await recordFailures(
    tx,
    id,
    new Map(
      result.failed.map(({ recipe, reason, code }) => [
        recipe,
        code === 'unreadable' ? unreadable(asset, reason) : `${asset.name}: ${reason}.`,
      ]),
    ),
  );
  if (now?.sha256 === asset.sha256) await recordLook(tx, asset, result);
  await recordEvent(tx, {
    type: 'asset.renditions',
    asset: id,
    by: 'Uniferum',
    data: { id, made: [...new Set(result.made.map(({ recipe }) => recipe))] },
  });
  return { bytes };
}

async function recordLook(
  tx: Transaction,
  asset: AssetRow,
  { placeholder, phash, duration }: Omit<RenderResult, 'made'>,
): Promise<void> {
  const id = String(asset.id);
  if (placeholder !== null) await updatePlaceholder(tx, id, placeholder);
  if (phash !== null && asset.phash !== phash) await updateHash(tx, id, phash);
  if (duration !== null && asset.duration !== duration) await updateDuration(tx, id, duration);
}

/** Writes down why renditions could not be made. What was made before stays, and is shown. */
export async function recordFailures(
  tx: Transaction,
  assetId: string,
  reasons: ReadonlyMap<string, string>,
): Promise<void> {
  if (reasons.size === 0) return;
  const rows = await findRenditions(tx, [assetId], { lock: true });
  const meant = rows.filter(({ recipe, variant }) => variant === '' && reasons.has(recipe));
  await putRenditions(
    tx,
    meant.map((row) => ({
      before: row,
      after: { ...row, state: 'failed', error: reasons.get(row.recipe) ?? null },
    })),
  );
  await recordEvent(tx, {
    type: 'asset.renditions',
    asset: assetId,
    by: 'Uniferum',
    data: { id: assetId, failed: [...reasons.values()][0] },
  });
}

/** Writes down that an item was tried for the last time: everything that was wanted of it counts as failed. */
export async function recordGivenUp(
  tx: Transaction,
  assetId: string,
  { recipes, states }: Wanted,
  error: string,
): Promise<void> {
  const rows = await findRenditions(tx, [assetId]);
  const meant = rows.filter(
    ({ variant, state, recipe }) =>
      variant === '' &&
      state !== 'fresh' &&
      state !== 'surplus' &&
      (recipes === null || recipes.includes(recipe)) &&
      (!states || states.includes(state)),
  );
  await recordFailures(tx, assetId, new Map(meant.map(({ recipe }) => [recipe, error])));
}

/** A row before and after; null before for one that is new. */
export interface Change {
  before: RenditionRow | null;
  after: RenditionRow;
}

/** Writes renditions, and counts them. */
export async function putRenditions(tx: Transaction, changed: readonly Change[]): Promise<void> {
  await updateRenditions(
    tx,
    changed.map(({ after }) => after),
  );
  await addToTallies(
    tx,
    changed.flatMap(({ before, after }) => [...(before ? [counted(before, -1)] : []), counted(after, 1)]),
  );
}

/** Removes renditions, and takes them out of the counts. */
export async function dropRenditions(tx: Transaction, rows: readonly RenditionRow[]): Promise<void> {
  await deleteRenditions(tx, rows);
  await addToTallies(
    tx,
    rows.map((row) => counted(row, -1)),
  );
}

/** Main files count as renditions; the bytes of all their sizes and formats count with them. */
export function counted({ recipe, variant, state, bytes }: RenditionRow, sign: 1 | -1): TallyChange {
  return {
    scope: `recipe:${recipe}`,
    name: state,
    items: variant === '' ? sign : 0,
    bytes: sign * (bytes ?? 0),
  };
}
