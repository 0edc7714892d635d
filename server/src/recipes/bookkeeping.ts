import type { FocalPoint, Kind } from '@uniferum/core/library';
import {
  allWatermarks,
  canBeRendered,
  type Recipe,
  recipeApplies,
  unmadeState,
} from '@uniferum/core/recipes';
import { commonFolder } from '@uniferum/core/runs';
import { type AssetRow, findAsset, lockAsset } from '../library/asset-queries.js';
import { addToOpenRun } from '../runs/ledger.js';
import { addToCounters, type CounterChange } from '../shared/counters.js';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import { applyRecipe } from './apply.js';
import { contentDigest, focalOf, marksDigest } from './digests.js';
import { type FoundMarks, findMarks } from './find-marks.js';
import { findOptimiseRequest, readMode } from './optimise-queries.js';
import { PREVIEW } from './preview.js';
import { type Change, counted, dropRenditions, putRenditions } from './put-renditions.js';
import { findRenditions, insertDueRenditions, type RenditionRow } from './queries.js';
import { holdRecipes, lockRecipes } from './recipe-lock-queries.js';
import { findRecipe, listRecipes } from './recipe-queries.js';
import { optimiseRun, renditionsRun, renditionsSoonRun } from './run-kinds.js';

/** The properties of an asset on which the choice of recipes depends. */
export interface RecipeSubject {
  id: string;
  name: string;
  kind: Kind;
  mime: string;
  folder: string;
}

/** Records which renditions new assets need, and queues them. Every picture is analysed, even without a recipe. */
export async function orderRenditions(
  tx: Transaction,
  assets: readonly RecipeSubject[],
  by: string,
): Promise<void> {
  await holdRecipes(tx);
  const recipes = await listRecipes(tx);
  const pairs = assets.flatMap((asset) =>
    recipes.filter((recipe) => recipeApplies(recipe, asset)).map((recipe) => ({ asset, recipe })),
  );
  await insertDueRenditions(
    tx,
    pairs.map(({ asset, recipe }) => ({ assetId: asset.id, recipe })),
  );
  await addToCounters(
    tx,
    pairs.map(({ recipe }) => newlyCounted(recipe)),
  );
  const work = assets.filter(canBeRendered);
  if (work.length === 0) return;
  await orderWork(
    tx,
    work.map(({ id, name, folder }) => ({ assetId: id, name, folder })),
    { occasion: 'arrival', isUrgent: pairs.some(({ recipe }) => recipe.when === 'at-once'), by },
  );
}

/**
 * Reassesses an asset's renditions after a change to the picture itself, and queues those that are not fresh. Files
 * made from the same bytes and focal point are fresh again.
 */
export async function refreshRenditions(
  tx: Transaction,
  asset: RecipeSubject & { revision: number; sha256: string; focal: FocalPoint | null },
  by: string,
): Promise<void> {
  await holdRecipes(tx);
  const applying = new Map(
    (await listRecipes(tx))
      .filter((recipe) => recipeApplies(recipe, asset))
      .map((recipe) => [recipe.name, recipe]),
  );
  const marks = await findMarks(tx, [...applying.values()]);
  const rows = await findRenditions(tx, [asset.id], { lock: true });
  const changed: Change[] = [];
  const dropped: RenditionRow[] = [];
  for (const row of rows) {
    const recipe = applying.get(row.recipe);
    if (!recipe && row.sha256 === null) dropped.push(row);
    else changed.push({ before: row, after: judgeRow(row, recipe, asset, marks) });
  }
  await putRenditions(
    tx,
    changed.filter(({ before, after }) => before?.state !== after.state),
    LIVE,
  );
  await dropRenditions(tx, dropped, LIVE);
  const present = new Set(rows.map(({ recipe }) => recipe));
  const missing = [...applying.values()].filter(({ name }) => !present.has(name));
  await insertDueRenditions(
    tx,
    missing.map((recipe) => ({ assetId: asset.id, recipe })),
  );
  await addToCounters(
    tx,
    missing.map((recipe) => newlyCounted(recipe)),
  );
  if (canBeRendered(asset))
    await orderWork(tx, [{ assetId: asset.id, name: asset.name, folder: asset.folder }], {
      occasion: `change-${asset.revision}`,
      isUrgent: false,
      by,
    });
  await reassessWatermarked(tx, asset.folder, asset.name);
}

/** All renditions of assets that are not in the bin, or are just being restored, are counted. */
const LIVE = { live: 1 };

function newlyCounted({ name, when }: Recipe): CounterChange {
  return { scope: `recipe:${name}`, name: unmadeState(when), items: 1, bytes: 0 };
}

/** The state of a rendition after its asset changed. */
function judgeRow(
  row: RenditionRow,
  recipe: Recipe | undefined,
  asset: { sha256: string; focal: FocalPoint | null },
  marks: FoundMarks,
): RenditionRow {
  if (!recipe) return row.recipe === PREVIEW ? row : { ...row, state: 'surplus' };
  if (row.variant !== '' && row.state === 'surplus') return row;
  const isFresh =
    row.content === contentDigest(recipe) &&
    row.source_sha === asset.sha256 &&
    row.focal === focalOf(recipe, asset.focal) &&
    row.marks === marksDigest(recipe, (path) => marks.get(path)?.sha256 ?? null);
  // A failure with these same bytes would only repeat.
  if (row.state === 'failed' && isFresh) return row;
  const state = row.sha256 === null ? unmadeState(recipe.when) : isFresh ? 'fresh' : 'outdated';
  return { ...row, state, error: null };
}

/** Reassesses renditions by recipes that use this file as a watermark: it has changed or is gone. */
export async function reassessWatermarked(tx: Transaction, folder: string, name: string): Promise<void> {
  const path = `${folder === '/' ? '' : folder}/${name}`;
  const marked = (await listRecipes(tx)).filter((recipe) => allWatermarks([recipe]).includes(path));
  if (marked.length === 0) return;
  await lockRecipes(tx);
  for (const recipe of marked) await applyRecipe(tx, { recipe: recipe.name }, 'Uniferum');
}

/** Adds all renditions of a locked asset to the counters, or removes them. */
export async function countRenditions(tx: Transaction, assetId: string, sign: 1 | -1): Promise<void> {
  await holdRecipes(tx);
  const rows = await findRenditions(tx, [assetId], { lock: true });
  await addToCounters(
    tx,
    rows.map((row) => counted(row, sign)),
  );
}

/** Adds the renditions an asset needs from applicable recipes, where they are missing. */
export async function wantRendition(
  db: Database,
  asset: Pick<AssetRow, 'id'>,
  recipe: string,
): Promise<void> {
  await inTransaction(db, async (tx) => {
    await holdRecipes(tx);
    await lockAsset(tx, String(asset.id));
    const now = await findAsset(tx, String(asset.id));
    const found = await findRecipe(tx, recipe);
    if (now?.live !== 1 || found === null || !recipeApplies(found, { ...now, folder: now.folder_path }))
      return;
    const added = await insertDueRenditions(tx, [{ assetId: asset.id, recipe: found }]);
    if (added > 0) await addToCounters(tx, [newlyCounted(found)]);
  });
}

/** Queues a rendition with priority because somebody is viewing it. Repeating this while it is queued has no effect. */
export async function orderSoon(
  tx: Transaction,
  asset: { id: string; name: string; folder: string; revision: number },
): Promise<void> {
  await addToOpenRun(
    tx,
    renditionsSoonRun,
    { title: 'Urgent renditions', folder: asset.folder, by: 'Uniferum', isUrgent: true },
    [
      {
        key: `asset:${asset.id}:${asset.revision}`,
        title: asset.name,
        input: { asset: asset.id, recipes: null },
      },
    ],
  );
}

/** Queues optimising for a file that is to be kept optimised, when its current version is not. */
export async function orderOptimising(
  tx: Transaction,
  { id, name, folder }: { id: string; name: string; folder: string },
  by: string,
): Promise<void> {
  const request = await findOptimiseRequest(tx, id);
  if (request === null || request.isOptimised) return;
  await addToOpenRun(tx, optimiseRun, { title: 'Optimisation', folder, by }, [
    {
      key: `asset:${id}:${request.version}`,
      title: name,
      input: { asset: id, ...readMode(request.mode) },
    },
  ]);
}

async function orderWork(
  tx: Transaction,
  assets: readonly { assetId: string; name: string; folder: string }[],
  { occasion, isUrgent, by }: { occasion: string; isUrgent: boolean; by: string },
): Promise<void> {
  await addToOpenRun(
    tx,
    renditionsRun,
    { title: 'Renditions', folder: assets.map(({ folder }) => folder).reduce(commonFolder), by, isUrgent },
    assets.map(({ assetId, name }) => ({
      key: `asset:${assetId}:${occasion}`,
      title: name,
      input: { asset: assetId, recipes: null },
    })),
  );
}

/** A recipe whose renditions are made immediately when somebody waits for the answer. */
export function isAtOnce({ when }: Pick<Recipe, 'when'>): boolean {
  return when === 'at-once';
}
