import {
  allWatermarks,
  canBeRendered,
  type FocalPoint,
  type Kind,
  type Recipe,
  recipeApplies,
} from '@uniferum/core';
import { addToTallies } from '../library/tallies.js';
import { addToOpenRun } from '../runs/ledger.js';
import type { Transaction } from '../shared/database.js';
import { contentDigest, focalOf, marksDigest } from './digests.js';
import { type FoundMarks, findMarks } from './find-marks.js';
import { judgeRecipe } from './judge.js';
import { findOptimiseWish, readMode } from './optimise-queries.js';
import {
  findRenditions,
  insertDueRenditions,
  type RenditionRow,
  UNKNOWN_ORIGIN,
  updateRenditions,
} from './queries.js';
import { listRecipes } from './recipe-queries.js';
import { type Change, counted, dropRenditions, putRenditions } from './record.js';

/** What the choice of recipes for an asset depends on. */
export interface RecipeSubject {
  id: string;
  name: string;
  kind: Kind;
  mime: string;
  folder: string;
}

/** Writes down which renditions new assets are to have, and has them made; every picture is looked at, also without a recipe. */
export async function orderRenditions(
  tx: Transaction,
  assets: readonly RecipeSubject[],
  by: string,
): Promise<void> {
  const recipes = await listRecipes(tx);
  const pairs = assets.flatMap((asset) =>
    recipes.filter((recipe) => recipeApplies(recipe, asset)).map((recipe) => ({ asset, recipe })),
  );
  await insertDueRenditions(
    tx,
    pairs.map(({ asset, recipe }) => ({ assetId: asset.id, recipe: recipe.name })),
  );
  await addToTallies(
    tx,
    pairs.map(({ recipe }) => ({ scope: `recipe:${recipe.name}`, name: 'due', items: 1, bytes: 0 })),
  );
  const work = assets.filter(canBeRendered);
  if (work.length === 0) return;
  await orderWork(
    tx,
    work.map(({ id, name }) => ({ assetId: id, name })),
    { occasion: 'arrival', isUrgent: pairs.some(({ recipe }) => recipe.when === 'at-once'), by },
  );
}

/**
 * Judges an asset's renditions afresh after a change to the picture itself, and has those made again that are not fresh.
 * What was made from the same bytes and focal point is fresh again.
 */
export async function refreshRenditions(
  tx: Transaction,
  asset: RecipeSubject & { revision: number; sha256: string; focal: FocalPoint | null },
  by: string,
): Promise<void> {
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
  );
  await dropRenditions(tx, dropped);
  const present = new Set(rows.map(({ recipe }) => recipe));
  const missing = [...applying.keys()].filter((recipe) => !present.has(recipe));
  await insertDueRenditions(
    tx,
    missing.map((recipe) => ({ assetId: asset.id, recipe })),
  );
  await addToTallies(
    tx,
    missing.map((recipe) => ({ scope: `recipe:${recipe}`, name: 'due', items: 1, bytes: 0 })),
  );
  if (canBeRendered(asset))
    await orderWork(tx, [{ assetId: asset.id, name: asset.name }], {
      occasion: `change-${asset.revision}`,
      isUrgent: false,
      by,
    });
  await judgeMarked(tx, asset.folder, asset.name);
}

/** A rendition as it is after its asset changed. */
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
  // What could not be made of this very file would fail again.
  if (row.state === 'failed' && isFresh) return row;
  const state = row.sha256 === null ? 'due' : isFresh ? 'fresh' : 'outdated';
  return { ...row, state, error: null };
}

/** Judges afresh what was made by recipes that lay this file over others: it is another picture now, or gone. */
export async function judgeMarked(tx: Transaction, folder: string, name: string): Promise<void> {
  const path = `${folder === '/' ? '' : folder}/${name}`;
  for (const recipe of await listRecipes(tx))
    if (allWatermarks([recipe]).includes(path)) await judgeRecipe(tx, recipe);
}

/** Takes all renditions of an asset into the counts, or out of them. */
export async function countRenditions(tx: Transaction, assetId: string, sign: 1 | -1): Promise<void> {
  const rows = await findRenditions(tx, [assetId]);
  await addToTallies(
    tx,
    rows.map((row) => counted(row, sign)),
  );
}

/** Has what somebody looks at made before everything else. Asking again while it is on its way does nothing. */
export async function orderSoon(
  tx: Transaction,
  asset: { id: string; name: string; revision: number },
): Promise<void> {
  await addToOpenRun(
    tx,
    { kind: 'renditions-soon', title: 'What somebody looks at', by: 'Uniferum', isUrgent: true },
    [
      {
        key: `asset:${asset.id}:${asset.revision}`,
        title: asset.name,
        input: { asset: asset.id, recipes: null },
      },
    ],
  );
}

/** Has a file made smaller again that is to be kept small, when its current version is not. */
export async function orderOptimising(
  tx: Transaction,
  assetId: string,
  name: string,
  by: string,
): Promise<void> {
  const wish = await findOptimiseWish(tx, assetId);
  if (wish === null || wish.isOptimised) return;
  await addToOpenRun(tx, { kind: 'optimise', title: 'Keeping originals small', by }, [
    {
      key: `asset:${assetId}:${wish.version}`,
      title: name,
      input: { asset: assetId, ...readMode(wish.mode) },
    },
  ]);
}

async function orderWork(
  tx: Transaction,
  assets: readonly { assetId: string; name: string }[],
  { occasion, isUrgent, by }: { occasion: string; isUrgent: boolean; by: string },
): Promise<void> {
  await addToOpenRun(
    tx,
    { kind: 'renditions', title: 'Renditions of what arrived', by, isUrgent },
    assets.map(({ assetId, name }) => ({
      key: `asset:${assetId}:${occasion}`,
      title: name,
      input: { asset: assetId, recipes: null },
    })),
  );
}

/** The name of the rendition that a link has of what its provider shows. No recipe can have it. */
export const PREVIEW = 'preview';

/** Writes down the picture that stands for media kept elsewhere. */
export async function keepPreview(
  tx: Transaction,
  assetId: string,
  picture: { sha256: string; bytes: number; width: number; height: number; mime: string },
): Promise<void> {
  await updateRenditions(tx, [
    {
      asset_id: Number(assetId),
      recipe: PREVIEW,
      variant: '',
      state: 'fresh',
      ...UNKNOWN_ORIGIN,
      revision: 0,
      version: 1,
      ...picture,
    },
  ]);
}

/** A recipe that is made at once for somebody who waits for the answer. */
export function isAtOnce({ when }: Pick<Recipe, 'when'>): boolean {
  return when === 'at-once';
}
