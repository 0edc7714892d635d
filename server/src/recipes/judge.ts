import { DECODABLE_MIMES, DRAWABLE_DOCUMENTS, type Recipe, usesFocal } from '@uniferum/core';
import { replaceTallies } from '../library/tallies.js';
import type { Transaction } from '../shared/database.js';
import { contentDigest, marksDigest } from './digests.js';
import { findMarks } from './find-marks.js';
import {
  countRenditionsOfRecipe,
  insertDueRenditionsOfRecipe,
  judgeByContent,
  moveByApplication,
} from './queries.js';

/** The types of which pictures can be made, beside sounds and films of any type. */
export const RENDERED_MIMES: readonly string[] = [...DECODABLE_MIMES, ...DRAWABLE_DOCUMENTS];

/** Judges everything that a recipe has made afresh, and counts it. */
export async function judgeRecipe(tx: Transaction, recipe: Recipe): Promise<void> {
  const marks = await findMarks(tx, [recipe]);
  await judgeByContent(tx, recipe.name, {
    content: contentDigest(recipe),
    marks: marksDigest(recipe, (path) => marks.get(path)?.sha256 ?? null),
    wantsFocal: usesFocal(recipe),
  });
  await recountRecipe(tx, recipe.name);
}

/** Brings a recipe's renditions to the assets to which it applies: wanted of all of them, surplus of others. */
export async function applyRecipe(tx: Transaction, recipe: Recipe): Promise<void> {
  await moveByApplication(tx, recipe, RENDERED_MIMES);
  await insertDueRenditionsOfRecipe(tx, recipe, RENDERED_MIMES);
  await judgeRecipe(tx, recipe);
}

/** Counts a recipe's renditions afresh. */
export async function recountRecipe(tx: Transaction, name: string): Promise<void> {
  const counts = await countRenditionsOfRecipe(tx, name);
  await replaceTallies(
    tx,
    `recipe:${name}`,
    counts.map(({ state, items, bytes }) => ({ name: state, items, bytes })),
  );
}
