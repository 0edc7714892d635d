import { DECODABLE_MIMES, type Kind, type Recipe, type RenditionState, recipeApplies } from '@uniferum/core';
import { addToTallies, addToTally } from '../library/tallies.js';
import { addToOpenRun } from '../runs/ledger.js';
import type { Transaction } from '../shared/database.js';
import {
  findRenditions,
  insertDueRenditions,
  listRecipes,
  type RenditionRow,
  updateRenditionState,
  updateRenditions,
} from './queries.js';

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
  const work = assets.filter(
    (asset) => DECODABLE_MIMES.includes(asset.mime) || pairs.some((pair) => pair.asset === asset),
  );
  if (work.length === 0) return;
  await orderWork(
    tx,
    work.map(({ id, name }) => ({ assetId: id, name })),
    { occasion: 'arrival', isUrgent: pairs.some(({ recipe }) => isAtOnce(recipe)), by },
  );
}

/** Marks an asset's renditions as outdated after a change to the picture itself, and has them made again. */
export async function refreshRenditions(
  tx: Transaction,
  asset: RecipeSubject & { revision: number },
  by: string,
): Promise<void> {
  const applying = new Set(
    (await listRecipes(tx)).filter((recipe) => recipeApplies(recipe, asset)).map(({ name }) => name),
  );
  const rows = await findRenditions(tx, [asset.id], { lock: true });
  for (const row of rows) {
    if (!applying.has(row.recipe)) await moveRendition(tx, row, 'surplus');
    else if (row.state === 'fresh' || row.state === 'surplus')
      await moveRendition(tx, row, row.sha256 === null ? 'due' : 'outdated');
  }
  const present = new Set(rows.map(({ recipe }) => recipe));
  const missing = [...applying].filter((recipe) => !present.has(recipe));
  await insertDueRenditions(
    tx,
    missing.map((recipe) => ({ assetId: asset.id, recipe })),
  );
  for (const recipe of missing) await addToTally(tx, `recipe:${recipe}`, 'due', { items: 1, bytes: 0 });
  if (applying.size > 0)
    await orderWork(tx, [{ assetId: asset.id, name: asset.name }], {
      occasion: `change-${asset.revision}`,
      isUrgent: false,
      by,
    });
}

/** Takes all renditions of an asset into the counts, or out of them. */
export async function countRenditions(tx: Transaction, assetId: string, sign: 1 | -1): Promise<void> {
  for (const { recipe, state, bytes } of await findRenditions(tx, [assetId])) {
    await addToTally(tx, `recipe:${recipe}`, state, { items: sign, bytes: sign * (bytes ?? 0) });
  }
}

/** Moves a rendition to another state, and the counts with it. */
export async function moveRendition(tx: Transaction, row: RenditionRow, to: RenditionState): Promise<void> {
  if (row.state === to) return;
  await updateRenditionState(tx, { assetId: row.asset_id, recipe: row.recipe }, to);
  await addToTally(tx, `recipe:${row.recipe}`, row.state, { items: -1, bytes: -(row.bytes ?? 0) });
  await addToTally(tx, `recipe:${row.recipe}`, to, { items: 1, bytes: row.bytes ?? 0 });
}

function isAtOnce({ when }: Recipe): boolean {
  return when === 'at-once';
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
      state: 'fresh',
      revision: 0,
      version: 1,
      error: null,
      ...picture,
    },
  ]);
}
