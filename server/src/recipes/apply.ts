import { DECODABLE_MIMES, DRAWABLE_DOCUMENTS, type Recipe, usesFocal } from '@uniferum/core/recipes';
import { countAll } from '../library/filter-counts.js';
import type { BoundRun } from '../runs/handler.js';
import { addItems, beginRun, endIfEmpty } from '../runs/ledger.js';
import { addToCounters, replaceCounters } from '../shared/counters.js';
import type { Transaction } from '../shared/database.js';
import {
  countRenditionsOfRecipe,
  deleteUnmade,
  findLastAssetId,
  type IdRange,
  insertDueRenditionsOfRecipe,
  judgeByContent,
  moveAllToSurplus,
  moveByApplication,
  restateUnmade,
  reviveFailed,
} from './apply-queries.js';
import { contentDigest, marksDigest } from './digests.js';
import { findMarks } from './find-marks.js';
import { lockRecipes } from './recipe-lock-queries.js';
import { findRecipe } from './recipe-queries.js';
import { recipeApplyRun } from './run-kinds.js';

/** The types of which pictures can be made, beside sounds and films of any type. */
export const RENDERED_MIMES: readonly string[] = [...DECODABLE_MIMES, ...DRAWABLE_DOCUMENTS];

/** Up to so many live assets a recipe is applied in the very transaction that changes it; to more by a run in batches. */
const AT_ONCE_ASSETS = 2000;
/** So many ids are a batch: it takes a fraction of a second, during which nobody else writes renditions. */
const IDS_PER_BATCH = 2000;

/** What is to be brought in line with a recipe. */
export interface Application {
  /** The name; a recipe of this name that is not there any more leaves surplus. */
  recipe: string;
  /** Lets what could not be made be tried again. */
  revive?: boolean;
}

/**
 * Brings renditions in line with a recipe that was made, edited or deleted, or with the pictures that it lays over others:
 * wanted of all assets to which it applies, surplus of others, outdated where it makes something else now. In a large library
 * a run does so, in batches; until it has come to an asset, its rendition is made when somebody asks for it.
 *
 * @param tx with {@link lockRecipes}, so that no file that arrives meanwhile is missed
 */
export async function applyRecipe(tx: Transaction, application: Application, by: string): Promise<void> {
  const last = await findLastAssetId(tx);
  if ((await countAll(tx)) <= AT_ONCE_ASSETS) {
    await applyToRange(tx, application, null);
    return;
  }
  const { recipe, revive = false } = application;
  const run = await beginRun(tx, recipeApplyRun, {
    title: `Applying the recipe ${recipe} to the library`,
    by,
    isUrgent: true,
  });
  const items = [];
  for (let from = 1; from <= last; from += IDS_PER_BATCH) {
    const to = Math.min(last, from + IDS_PER_BATCH - 1);
    items.push({
      key: `ids:${from}`,
      title: `${from}–${to}`,
      input: { recipe, revive, range: { from, to } },
    });
  }
  await addItems(tx, run, recipeApplyRun, items);
  await endIfEmpty(tx, run);
}

/** Applies a recipe, as it is by then, to a batch of assets. Doing so twice changes nothing more. */
export const recipeApplyHandler: BoundRun = recipeApplyRun.bind({
  work: async ({ range, ...application }) => ({
    outcome: 'done',
    record: async (tx) => {
      await lockRecipes(tx);
      await applyToRange(tx, application, range);
    },
  }),
});

/** @param range null for all assets */
async function applyToRange(
  tx: Transaction,
  { recipe: name, revive = false }: Application,
  range: IdRange | null,
): Promise<void> {
  const recipe = await findRecipe(tx, name);
  const before = await countRenditionsOfRecipe(tx, name, range);
  if (recipe === null) {
    await deleteUnmade(tx, name, range);
    await moveAllToSurplus(tx, name, range);
  } else {
    if (revive) await reviveFailed(tx, recipe, range);
    await restateUnmade(tx, recipe, range);
    await moveByApplication(tx, recipe, RENDERED_MIMES, range);
    await insertDueRenditionsOfRecipe(tx, recipe, RENDERED_MIMES, range);
    await judge(tx, recipe, range);
  }
  const after = await countRenditionsOfRecipe(tx, name, range);
  const change = (sign: 1 | -1, counts: typeof before) =>
    counts.map(({ state, items, bytes }) => ({
      scope: `recipe:${name}` as const,
      name: state,
      items: sign * items,
      bytes: sign * bytes,
    }));
  await addToCounters(tx, [...change(-1, before), ...change(1, after)]);
}

async function judge(tx: Transaction, recipe: Recipe, range: IdRange | null): Promise<void> {
  const marks = await findMarks(tx, [recipe]);
  await judgeByContent(
    tx,
    recipe.name,
    {
      content: contentDigest(recipe),
      marks: marksDigest(recipe, (path) => marks.get(path)?.sha256 ?? null),
      wantsFocal: usesFocal(recipe),
    },
    range,
  );
}

/** Counts a recipe's renditions afresh; with {@link lockRecipes}. */
export async function recountRecipe(tx: Transaction, name: string): Promise<void> {
  const counts = await countRenditionsOfRecipe(tx, name, null);
  await replaceCounters(
    tx,
    `recipe:${name}`,
    counts.map(({ state, items, bytes }) => ({ name: state, items, bytes })),
  );
}
