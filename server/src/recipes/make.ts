import { Readable } from 'node:stream';
import { canBeRendered, DECODABLE_MIMES, type Recipe, type RenditionState } from '@uniferum/core/recipes';
import { type AssetRow, findAsset } from '../library/asset-queries.js';
import type { Joints } from '../library/joints.js';
import type { ItemResult } from '../runs/handler.js';
import { type ByteStore, type StagedBytes, withBorrowed } from '../shared/byte-store.js';
import type { Database, Transaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { explainStoreFault } from '../stores/store-faults.js';
import { focalPoint } from './digests.js';
import type { RenderJob, RenderResult, WrittenFile } from './engine/job.js';
import { PictureKilledError, type RenderPool, type Waiter } from './engine/pool.js';
import { borrowMarks, type FoundMarks, findMarks } from './find-marks.js';
import { findRenditions } from './queries.js';
import { listRecipes } from './recipe-queries.js';
import { doesNotApply, type Made, recordFailures, recordMade, unreadable } from './record.js';

/** What rendering requires. */
export interface RenderContext {
  db: Database;
  store: ByteStore;
  pool: RenderPool;
  maxPixels: number;
}

/** What a worker uses for rendering. */
export interface WorkerContext extends RenderContext {
  joints: Joints;
  /** Work on one asset that takes longer is stuck. */
  maxWorkMs: number;
}

/** Which renditions of an asset to make. */
export interface Wanted {
  /** Names; null for all recipes except those made on request. */
  recipes: readonly string[] | null;
  /** Null for everything that is neither fresh nor surplus. */
  states?: readonly RenditionState[] | undefined;
}

/** Makes the requested renditions of one asset. When repeated it finds them fresh and skips them. */
export async function makeRenditions(
  context: RenderContext,
  assetId: string,
  wanted: Wanted,
  waiter: Waiter = {},
): Promise<ItemResult> {
  const { db, store } = context;
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
    result = await render(context, asset, { recipes, marks, look: !isLooked }, waiter);
  } catch (error) {
    waiter.signal?.throwIfAborted();
    if (!(error instanceof PictureKilledError)) throw explainStoreFault(error, store.name);
    const reason = `${asset.name} can't be processed: ${error.message}. Upload a smaller version.`;
    return failAll(asset, recipes, reason);
  }
  return toItemResult(store, asset, { recipes, marks, result });
}

async function render(
  { pool, store, maxPixels }: RenderContext,
  asset: AssetRow,
  { recipes, marks, look }: { recipes: Recipe[]; marks: FoundMarks; look: boolean },
  waiter: Waiter,
): Promise<RenderResult<WrittenFile>> {
  const missing = new UniferumError('store-away', missingBytes(asset, store), { retryAfterSeconds: 30 });
  // A file imported in place may have been changed there: then it is no longer the same picture.
  if (!(await store.has(asset.sha256))) throw missing;
  const result = await withJob(asset, recipes, { store, marks, maxPixels, look }, (job) =>
    pool.runInto(store.scratch(), job, waiter),
  );
  if (result.failed.length > 0 && !(await store.has(asset.sha256))) throw missing;
  return result;
}

/** The message for an asset whose bytes cannot be found. */
export function missingBytes(asset: Pick<AssetRow, 'name'>, store: ByteStore): string {
  return `The bytes of ${asset.name} are not in the store "${store.name}". Check that it is mounted.`;
}

/** Gives what a rendering process needs to know about an asset to some work, with its files for as long as that takes. */
export async function withJob<Result>(
  asset: AssetRow,
  recipes: Recipe[],
  {
    store,
    marks,
    maxPixels,
    look,
  }: { store: ByteStore; marks: FoundMarks; maxPixels: number; look: boolean },
  work: (job: RenderJob) => Promise<Result>,
): Promise<Result> {
  const { sha256, kind, mime } = asset;
  return withBorrowed(store, sha256, async (path) => {
    const { files, release } = await borrowMarks(marks, store);
    try {
      return await work({
        file: { path, sha256, kind, mime },
        recipes,
        focal: focalPoint(asset),
        marks: files,
        look,
        maxPixels,
      });
    } finally {
      await release();
    }
  });
}

/** States in which there is nothing to make. */
const SETTLED: ReadonlySet<RenditionState> = new Set(['fresh', 'surplus', 'not-applicable']);

async function chooseRecipes(db: Database, asset: AssetRow, { recipes, states }: Wanted): Promise<Recipe[]> {
  const rows = (await findRenditions(db, [asset.id])).filter(({ variant }) => variant === '');
  const stateOf = new Map(rows.map(({ recipe, state }) => [recipe, state]));
  return (await listRecipes(db)).filter(({ name }) => {
    const state = stateOf.get(name);
    if (state === undefined || SETTLED.has(state)) return false;
    if (states && !states.includes(state)) return false;
    return recipes === null ? state !== 'on-request' : recipes.includes(name);
  });
}

function toItemResult(store: ByteStore, asset: AssetRow, made: Made): ItemResult {
  const { result } = made;
  const staged = result.made.map(({ path, sha256, crc32, bytes }) =>
    store.stageWrittenFile(path, { sha256, crc32, bytes }),
  );
  const mains = result.made.filter(({ variant }) => variant === null);
  const failures = sayFailures(asset, result);
  const inapplicable = result.failed.filter(doesNotApply);
  return {
    outcome: failures === null ? 'done' : 'failed',
    note:
      [
        ...mains.map(({ recipe, width, height }) => `${recipe} ${width} × ${height}`),
        ...inapplicable.map(({ recipe, reason }) => `${recipe} does not apply: ${reason}`),
      ].join(', ') || 'looked at',
    ...(failures !== null && { error: failures }),
    persist: async () => {
      await Promise.all(staged.map((one) => one.keep()));
    },
    record: (tx) => recordMade(tx, { asset, store, ...made }),
    release: async () => {
      await Promise.all(staged.map((one) => one.discard()));
    },
  };
}

/** One sentence for an item with failures; the renditions have their own reasons. */
function sayFailures(asset: AssetRow, result: Pick<RenderResult, 'failed'>): string | null {
  const failed = result.failed.filter((one) => !doesNotApply(one));
  const [first] = failed;
  if (!first) return null;
  if (first.code === 'unreadable' && failed.every(({ reason }) => reason === first.reason))
    return unreadable(asset, first.reason);
  return failed.map(({ recipe, reason }) => `${asset.name} by ${recipe}: ${reason}.`).join(' ');
}

/** Stores rendered bytes. @throws UniferumError `storage-full` when the disk is full; a retry may succeed */
export async function stageAndKeep(store: ByteStore, data: Uint8Array): Promise<StagedBytes> {
  const staged = await store.stage(Readable.from([data]), { limitBytes: Number.MAX_SAFE_INTEGER });
  try {
    await staged.keep();
    return staged;
  } catch (error) {
    await staged.discard();
    throw error;
  }
}

/** A rendering process reports failures in words; a full disk is told apart from a corrupt picture by its code. */
function failAll({ id, sha256 }: AssetRow, recipes: readonly Recipe[], error: string): ItemResult {
  const reasons = new Map(recipes.map(({ name }) => [name, error]));
  return {
    outcome: 'failed',
    error,
    record: async (tx) => recordFailures(tx, String(id), { sha256, reasons }),
  };
}

/** Records a final failure: all requested renditions of the asset count as failed. */
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
      !SETTLED.has(state) &&
      (recipes === null || recipes.includes(recipe)) &&
      (!states || states.includes(state)),
  );
  await recordFailures(tx, assetId, {
    sha256: null,
    reasons: new Map(meant.map(({ recipe }) => [recipe, error])),
  });
}
