import {
  changesOutput,
  DECODABLE_MIMES,
  RENDITION_STATES,
  type Recipe,
  type RecipeAnswer,
  type RenditionState,
} from '@uniferum/core';
import { recordEvent } from '../hooks/outbox.js';
import { readTallies, replaceTallies, type Tally } from '../library/tallies.js';
import { beginRun, endIfEmpty } from '../runs/ledger.js';
import { recountTotal } from '../runs/queries.js';
import { type Database, inTransaction, isDatabaseError, type Transaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import {
  countRenditionsOfRecipe,
  deleteRecipeRow,
  findRecipe,
  insertDueRenditionsOfRecipe,
  insertRebuildItems,
  insertRecipe,
  listRecipes,
  moveRenditions,
  previewRebuild,
  type RebuildSelection,
  updateRecipe,
} from './queries.js';

/** How many lines of a rehearsal are listed; its totals are of all. */
const PREVIEW_ITEMS = 500;

/** Lists the recipes with their counts. */
export async function readRecipes(db: Database): Promise<RecipeAnswer[]> {
  const [recipes, tallies] = await Promise.all([listRecipes(db), readTallies(db)]);
  return recipes.map((recipe) => withCounts(recipe, tallies));
}

/** @throws UniferumError `not-found` */
export async function readRecipe(
  db: Database,
  name: string,
): Promise<{ recipe: RecipeAnswer; etag: string }> {
  const recipe = await findRecipe(db, name);
  if (recipe === null) throw notFound(`Recipe ${name}`);
  return { recipe: withCounts(recipe, await readTallies(db)), etag: revisionTag(name, recipe.revision) };
}

/** Makes a recipe. What is in the library becomes due by it, and is made by a rebuild. */
export async function makeRecipe(db: Database, wanted: Omit<Recipe, 'revision'>, by: string): Promise<void> {
  await inTransaction(db, async (tx) => {
    try {
      await insertRecipe(tx, { ...wanted, revision: 1 });
    } catch (error) {
      if (isDatabaseError(error, 'ER_DUP_ENTRY'))
        throw new UniferumError(
          'conflict',
          `There is a recipe "${wanted.name}" already. Change that one, or choose another name.`,
        );
      throw error;
    }
    // A recipe of this name was there before: what it made is shown, and not by this one.
    await moveRenditions(tx, wanted.name, ['surplus'], 'outdated');
    await applyRecipe(tx, { ...wanted, revision: 1 });
    await recordEvent(tx, { type: 'recipe.changed', by, data: { name: wanted.name, revision: 1 } });
  });
}

/** Replaces a recipe. A change of steps or output leaves everything made before outdated. */
export async function changeRecipe(
  db: Database,
  name: string,
  wanted: Omit<Recipe, 'revision' | 'name'>,
  { by, ifMatch }: { by: string; ifMatch: string | undefined },
): Promise<void> {
  await inTransaction(db, async (tx) => {
    const before = await findRecipe(tx, name, { lock: true });
    if (before === null) throw notFound(`Recipe ${name}`);
    requireMatch(ifMatch, revisionTag(name, before.revision), `The recipe "${name}"`);
    const after: Recipe = { ...wanted, name, revision: before.revision + 1 };
    await updateRecipe(tx, after);
    if (changesOutput(before, after)) {
      await moveRenditions(tx, name, ['fresh'], 'outdated');
      await moveRenditions(tx, name, ['failed'], 'due');
    }
    await applyRecipe(tx, after);
    await recordEvent(tx, { type: 'recipe.changed', by, data: { name, revision: after.revision } });
  });
}

/** Takes a recipe away. What it made becomes surplus and stays at its address, because a page may show it. */
export async function removeRecipe(
  db: Database,
  name: string,
  { by, ifMatch }: { by: string; ifMatch: string | undefined },
): Promise<void> {
  await inTransaction(db, async (tx) => {
    const recipe = await findRecipe(tx, name, { lock: true });
    if (recipe === null) throw notFound(`Recipe ${name}`);
    requireMatch(ifMatch, revisionTag(name, recipe.revision), `The recipe "${name}"`);
    await deleteRecipeRow(tx, name);
    await moveRenditions(tx, name, RENDITION_STATES, 'surplus');
    await recountRecipe(tx, name);
    await recordEvent(tx, { type: 'recipe.deleted', by, data: { name } });
  });
}

export interface Rebuild {
  recipes?: string[];
  only: 'missing' | 'outdated' | 'all';
}

/** One line of a rehearsed rebuild. */
export interface RebuildPlan {
  items: { asset: string; name: string; recipe: string; state: RenditionState }[];
  totals: { renditions: number; assets: number };
}

/** Lists what a rebuild would make, and changes nothing. */
export async function rehearseRebuild(db: Database, wanted: Rebuild): Promise<RebuildPlan> {
  const { rows, total, assets } = await previewRebuild(db, await selectionOf(db, wanted), PREVIEW_ITEMS);
  return {
    items: rows.map(({ asset_id, name, recipe, state }) => ({
      asset: String(asset_id),
      name,
      recipe,
      state,
    })),
    totals: { renditions: total, assets },
  };
}

/** Begins the run that makes them. @returns the run's id */
export async function rebuild(db: Database, wanted: Rebuild, by: string): Promise<string> {
  const selection = await selectionOf(db, wanted);
  return inTransaction(db, async (tx) => {
    const title = wanted.recipes ? `Rebuild ${wanted.recipes.join(', ')}` : 'Rebuild all recipes';
    const run = await beginRun(tx, { kind: 'renditions', title: title.slice(0, 200), by });
    if (selection.recipes.length > 0) await insertRebuildItems(tx, run, selection);
    await recountTotal(tx, run);
    if (wanted.only === 'all') {
      for (const recipe of selection.recipes) {
        await moveRenditions(tx, recipe, ['fresh'], 'outdated');
        await recountRecipe(tx, recipe);
      }
    }
    await endIfEmpty(tx, run);
    return run;
  });
}

const STATES_OF: Record<Rebuild['only'], RenditionState[]> = {
  missing: ['due', 'failed'],
  outdated: ['outdated'],
  all: ['fresh', 'due', 'outdated', 'failed'],
};

async function selectionOf(db: Database, { recipes, only }: Rebuild): Promise<RebuildSelection> {
  const known = (await listRecipes(db)).map(({ name }) => name);
  const unknown = recipes?.find((name) => !known.includes(name));
  if (unknown) throw notFound(`Recipe ${unknown}`);
  return { recipes: recipes ?? known, states: STATES_OF[only] };
}

async function applyRecipe(tx: Transaction, recipe: Recipe): Promise<void> {
  await insertDueRenditionsOfRecipe(tx, recipe, DECODABLE_MIMES);
  await recountRecipe(tx, recipe.name);
}

async function recountRecipe(tx: Transaction, name: string): Promise<void> {
  const counts = await countRenditionsOfRecipe(tx, name);
  await replaceTallies(
    tx,
    `recipe:${name}`,
    counts.map(({ state, items, bytes }) => ({ name: state, items, bytes })),
  );
}

function withCounts(recipe: Recipe, tallies: readonly Tally[]): RecipeAnswer {
  const own = tallies.filter(({ scope }) => scope === `recipe:${recipe.name}`);
  const countOf = (state: RenditionState) => own.find(({ name }) => name === state)?.items ?? 0;
  return {
    ...recipe,
    renditions: Object.fromEntries(RENDITION_STATES.map((state) => [state, countOf(state)])) as Record<
      RenditionState,
      number
    >,
    bytes: own.reduce((sum, { bytes }) => sum + bytes, 0),
  };
}
