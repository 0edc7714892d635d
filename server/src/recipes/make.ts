import { Readable } from 'node:stream';
import { canBeRendered, DECODABLE_MIMES, type Recipe, type RenditionState } from '@uniferum/core';
import { type AssetRow, findAsset } from '../library/asset-queries.js';
import type { ItemResult } from '../runs/handler.js';
import type { Database, Transaction } from '../shared/database.js';
import type { ByteStore, StagedBytes } from '../stores/byte-store.js';
import { focalPoint } from './digests.js';
import type { RenderJob, RenderResult, WrittenFile } from './engine/job.js';
import { PictureKilledError, type RenderPool } from './engine/pool.js';
import { type FoundMarks, findMarks, markFiles } from './find-marks.js';
import { findRenditions } from './queries.js';
import { listRecipes } from './recipe-queries.js';
import { type Made, recordFailures, recordMade, unreadable } from './record.js';

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
