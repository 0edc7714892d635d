import { change, type Executor, select } from '../shared/database.js';

/**
 * Keeps the recipes as they are until the transaction ends. Whoever writes renditions or counts them holds this; so a recipe
 * that is made, edited or deleted meets every rendition either written whole or not yet begun.
 */
export async function holdRecipes(tx: Executor): Promise<void> {
  await select(tx, "SELECT name FROM settings WHERE name = 'recipes' LOCK IN SHARE MODE");
}

/** Keeps everybody else from writing renditions until the transaction ends; for changes of recipes. */
export async function lockRecipes(tx: Executor): Promise<void> {
  await change(tx, "UPDATE settings SET updated_at = NOW(3) WHERE name = 'recipes'");
}
