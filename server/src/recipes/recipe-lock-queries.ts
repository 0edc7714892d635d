import { change, type Executor, select } from '../shared/database.js';

/**
 * Locks the recipes against changes until the transaction ends (shared). Everybody who writes or counts renditions
 * holds this lock, so a change to a recipe finds each rendition either fully written or not started.
 */
export async function holdRecipes(tx: Executor): Promise<void> {
  await select(tx, "SELECT name FROM settings WHERE name = 'recipes' LOCK IN SHARE MODE");
}

/** Locks out everybody who writes renditions until the transaction ends (exclusive); for changes to recipes. */
export async function lockRecipes(tx: Executor): Promise<void> {
  await change(tx, "UPDATE settings SET updated_at = NOW(3) WHERE name = 'recipes'");
}
