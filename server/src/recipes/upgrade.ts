import { usesFocal } from '@uniferum/core/recipes';
import { type Database, inTransaction } from '../shared/database.js';
import { fillOrigins } from './apply-queries.js';
import { contentDigest } from './digests.js';
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
