import {
  changesOutput,
  checkContent,
  describeChanges,
  exportRecipes,
  type ImportStep,
  type PortableRecipe,
  planImport,
  RENDITION_STATES,
  type Recipe,
  type RecipeAnswer,
  type RecipeImpact,
  type RecipesDocument,
  type RenditionState,
} from '@uniferum/core/recipes';
import { recordEvent } from '../events/outbox.js';
import { type Counter, readCounters } from '../shared/counters.js';
import { type Database, inTransaction, refuseDuplicate, type Transaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import type { Services } from '../shared/services.js';
import { applyRecipe, RENDERED_MIMES } from './apply.js';
import { countNewlyDue, countNoLongerApplying } from './apply-queries.js';
import { contentDigest } from './digests.js';
import { recipeChanged, recipeDeleted } from './events.js';
import { countFilesByContent } from './impact-queries.js';
import { estimateFor } from './rebuild.js';
import { lockRecipes } from './recipe-lock-queries.js';
import {
  deleteRecipeRow,
  findRecipe,
  insertRecipe,
  insertRevision,
  lastRevision,
  listRecipes,
  updateRecipe,
} from './recipe-queries.js';
import { findSamples } from './samples.js';

type Readable = Pick<Services, 'db' | 'config'>;

/** Lists the recipes with their counts. */
export async function readRecipes(services: Readable): Promise<RecipeAnswer[]> {
  const { db } = services;
  const [recipes, counters] = await Promise.all([listRecipes(db), readCounters(db)]);
  const samples = await findSamples(
    services,
    recipes.map(({ name }) => name),
  );
  return recipes.map((recipe) => toAnswer(recipe, counters, samples));
}

/** @throws UniferumError `not-found` */
export async function readRecipe(
  services: Readable,
  name: string,
): Promise<{ recipe: RecipeAnswer; etag: string }> {
  const { db } = services;
  const recipe = await findRecipe(db, name);
  if (recipe === null) throw notFound(`Recipe ${name}`);
  const [counters, samples] = await Promise.all([readCounters(db), findSamples(services, [name])]);
  return { recipe: toAnswer(recipe, counters, samples), etag: revisionTag(name, recipe.revision) };
}

/** Creates a recipe. Its renditions of existing assets are due until a rebuild makes them. */
export async function makeRecipe(db: Database, wanted: PortableRecipe, by: string): Promise<void> {
  requireSound(wanted);
  await inTransaction(db, (tx) => makeIn(tx, wanted, by));
}

async function makeIn(tx: Transaction, wanted: PortableRecipe, by: string): Promise<void> {
  await lockRecipes(tx);
  // A recipe of this name may have existed before: its revisions continue.
  const recipe: Recipe = { ...wanted, revision: (await lastRevision(tx, wanted.name)) + 1 };
  await insertRecipe(tx, recipe).catch(
    refuseDuplicate(`Recipe "${wanted.name}" already exists. Edit it, or choose another name.`),
  );
  await insertRevision(tx, recipe, by);
  await applyRecipe(tx, { recipe: recipe.name }, by);
  await recordEvent(tx, {
    event: recipeChanged,
    by,
    data: { name: recipe.name, revision: recipe.revision },
  });
}

/** Replaces a recipe. If its content changes, existing files become outdated; reverting the change makes them fresh again. */
export async function changeRecipe(
  db: Database,
  name: string,
  wanted: Omit<PortableRecipe, 'name'>,
  { by, ifMatch }: { by: string; ifMatch: string | undefined },
): Promise<void> {
  requireSound(wanted);
  await inTransaction(db, (tx) => changeIn(tx, name, wanted, { by, ifMatch }));
}

async function changeIn(
  tx: Transaction,
  name: string,
  wanted: Omit<PortableRecipe, 'name'>,
  { by, ifMatch }: { by: string; ifMatch: string | undefined },
): Promise<void> {
  await lockRecipes(tx);
  const before = await findRecipe(tx, name, { lock: true });
  if (before === null) throw notFound(`Recipe ${name}`);
  requireMatch(ifMatch, revisionTag(name, before.revision), `The recipe "${name}"`);
  const after: Recipe = { ...wanted, name, revision: before.revision + 1 };
  await updateRecipe(tx, after);
  await insertRevision(tx, after, by);
  await applyRecipe(tx, { recipe: name, revive: changesOutput(before, after) }, by);
  await recordEvent(tx, { event: recipeChanged, by, data: { name, revision: after.revision } });
}

/** Deletes a recipe. Its files become surplus and stay at their URLs, because a page may show them. */
export async function removeRecipe(
  db: Database,
  name: string,
  { by, ifMatch }: { by: string; ifMatch: string | undefined },
): Promise<void> {
  await inTransaction(db, async (tx) => {
    await lockRecipes(tx);
    const recipe = await findRecipe(tx, name, { lock: true });
    if (recipe === null) throw notFound(`Recipe ${name}`);
    requireMatch(ifMatch, revisionTag(name, recipe.revision), `The recipe "${name}"`);
    await deleteRecipeRow(tx, name);
    await applyRecipe(tx, { recipe: name }, by);
    await recordEvent(tx, { event: recipeDeleted, by, data: { name } });
  });
}

/** Computes the impact of a new or changed recipe, without changing anything. */
export async function rehearseRecipe(db: Database, wanted: PortableRecipe): Promise<RecipeImpact> {
  requireSound(wanted);
  const before = await findRecipe(db, wanted.name);
  const after: Recipe = { ...wanted, revision: (before?.revision ?? 0) + 1 };
  const files = await countFilesByContent(db, wanted.name, contentDigest(after));
  const isOther = before === null || changesOutput(before, after);
  const [due, surplus] = await Promise.all([
    countNewlyDue(db, after, RENDERED_MIMES),
    countNoLongerApplying(db, after, RENDERED_MIMES),
  ]);
  const outdated = isOther ? files.others : files.outdated;
  const estimate = await estimateFor(db, [after], (isOther ? files.otherMains : files.outdatedMains) + due);
  return {
    items: (before ? describeChanges(before, after) : []).map((change) => ({ change })),
    totals: { outdated, fresh: isOther ? files.same : 0, due, surplus, bytesNow: files.bytes, ...estimate },
  };
}

/** All recipes, or the named ones, as one document. @throws UniferumError `not-found` */
export async function readDocument(db: Database, names: readonly string[] | null): Promise<RecipesDocument> {
  const recipes = await listRecipes(db);
  const unknown = names?.find((name) => !recipes.some((recipe) => recipe.name === name));
  if (unknown !== undefined) throw notFound(`Recipe ${unknown}`);
  return exportRecipes(recipes.filter(({ name }) => names === null || names.includes(name)));
}

/** Plans an import. */
export async function rehearseImport(db: Database, { recipes }: RecipesDocument): Promise<ImportStep[]> {
  requireSoundDocument(recipes);
  return planImport(await listRecipes(db), recipes);
}

/** Creates and changes recipes from a document: all of them, or none if one is invalid. */
export async function importRecipes(
  db: Database,
  { recipes }: RecipesDocument,
  by: string,
): Promise<ImportStep[]> {
  requireSoundDocument(recipes);
  return inTransaction(db, async (tx) => {
    const plan = planImport(await listRecipes(tx), recipes);
    for (const { name, action } of plan) {
      const wanted = recipes.find((recipe) => recipe.name === name);
      if (!wanted || action === 'same') continue;
      if (action === 'make') await makeIn(tx, wanted, by);
      else await changeIn(tx, name, wanted, { by, ifMatch: undefined });
    }
    return plan;
  });
}

/** @throws UniferumError `malformed-request` with the path of each invalid step */
export function requireSound(recipe: Pick<Recipe, 'steps' | 'output' | 'ladder'>): void {
  const errors = checkContent(recipe);
  if (errors.length > 0)
    throw new UniferumError('malformed-request', `The recipe is invalid: ${errors[0]?.message}`, {
      errors,
    });
}

function requireSoundDocument(recipes: readonly PortableRecipe[]): void {
  const errors = recipes.flatMap((recipe, index) =>
    checkContent(recipe).map((error) => ({ ...error, field: `recipes.${index}.${error.field}` })),
  );
  const twice = recipes.findIndex(({ name }, index) =>
    recipes.some((other, at) => at < index && other.name === name),
  );
  if (twice >= 0)
    errors.push({
      field: `recipes.${twice}.name`,
      code: 'twice',
      message: `"${recipes[twice]?.name}" is listed twice.`,
    });
  if (errors.length > 0)
    throw new UniferumError('malformed-request', `The document can't be imported: ${errors[0]?.message}`, {
      errors,
    });
}

function toAnswer(
  recipe: Recipe,
  counters: readonly Counter[],
  samples: ReadonlyMap<string, string>,
): RecipeAnswer {
  const own = counters.filter(({ scope }) => scope === `recipe:${recipe.name}`);
  const countOf = (state: RenditionState) => own.find(({ name }) => name === state)?.items ?? 0;
  return {
    ...recipe,
    renditions: Object.fromEntries(RENDITION_STATES.map((state) => [state, countOf(state)])) as Record<
      RenditionState,
      number
    >,
    bytes: own.reduce((sum, { bytes }) => sum + bytes, 0),
    sample: samples.get(recipe.name) ?? null,
  };
}
