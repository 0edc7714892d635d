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

/** The types that can be rendered, in addition to audio and video of any type. */
export const RENDERED_MIMES: readonly string[] = [...DECODABLE_MIMES, ...DRAWABLE_DOCUMENTS];

/** Up to this many live assets, a recipe is applied in the transaction that changes it; beyond, by a run in batches. */
const AT_ONCE_ASSETS = 2000;
/** The number of ids per batch: it takes a fraction of a second, during which no other renditions can be written. */
const IDS_PER_BATCH = 2000;

/** What to bring in line with a recipe. */
export interface Application {
  /** The recipe's name; when the recipe no longer exists, its files become surplus. */
  recipe: string;
  /** Retries failed renditions. */
  revive?: boolean;
}

/**
 * Brings renditions in line with a recipe that was created, edited or deleted, or whose watermarks changed: due for
 * all assets to which it applies, surplus for others, outdated where it now makes something else. In a large library
 * a run does this in batches; until it reaches an asset, its rendition is made on request.
 *
 * @param tx with {@link lockRecipes}, so that no concurrently imported file is missed
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

/** Applies the current version of a recipe to a batch of assets. Repeating it changes nothing more. */
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

/** Recounts a recipe's renditions; with {@link lockRecipes}. */
export async function recountRecipe(tx: Transaction, name: string): Promise<void> {
  const counts = await countRenditionsOfRecipe(tx, name, null);
  await replaceCounters(
    tx,
    `recipe:${name}`,
    counts.map(({ state, items, bytes }) => ({ name: state, items, bytes })),
  );
}
