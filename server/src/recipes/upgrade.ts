import { type Recipe, usesFocal } from '@uniferum/core/recipes';
import { type Database, inTransaction } from '../shared/database.js';
import { applyRecipe } from './apply.js';
import { fillOrigins } from './apply-queries.js';
import { contentDigest } from './digests.js';
import { lockRecipes } from './recipe-lock-queries.js';
import { insertRevision, listRecipes } from './recipe-queries.js';

/**
 * Records the content digests of files made by earlier servers, so that the next edit of a title does not make them
 * outdated. Called once, after the migration that added the columns.
 */
export async function adoptEarlierRenditions(db: Database): Promise<void> {
  for (const recipe of await listRecipes(db))
    await inTransaction(db, async (tx) => {
      await insertRevision(tx, recipe, 'Uniferum');
      await fillOrigins(tx, recipe.name, { content: contentDigest(recipe), wantsFocal: usesFocal(recipe) });
    });
}

/**
 * Marks renditions with embedded metadata as outdated: earlier servers left previews in them, which show what was cropped
 * or pixelated. Repeating it changes nothing more.
 */
export function outdateEmbeddedMetadata(db: Database): Promise<void> {
  return applyAgain(db, ({ output }) => output.metadata !== 'none');
}

/** Makes renditions due of files of types that earlier servers could not decode. Repeating it changes nothing more. */
export function applyToMoreTypes(db: Database): Promise<void> {
  return applyAgain(db, ({ kinds }) => kinds.includes('image'));
}

async function applyAgain(db: Database, isMeant: (recipe: Recipe) => boolean): Promise<void> {
  for (const recipe of await listRecipes(db))
    if (isMeant(recipe))
      await inTransaction(db, async (tx) => {
        await lockRecipes(tx);
        await applyRecipe(tx, { recipe: recipe.name }, 'Uniferum');
      });
}
