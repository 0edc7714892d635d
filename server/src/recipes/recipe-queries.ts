import type { Kind } from '@uniferum/core/library';
import type { PortableRecipe, Recipe } from '@uniferum/core/recipes';
import { change, type Executor, select, selectOne, type Transaction, writeJson } from '../shared/database.js';

interface RecipeRow {
  name: string;
  title: string;
  kinds: string;
  folders: string;
  made_when: Recipe['when'];
  steps: string;
  output: string;
  ladder: string | null;
  revision: number;
}

const RECIPE_COLUMNS = 'name, title, kinds, folders, made_when, steps, output, ladder, revision';

/** Lists all recipes by name; an installation has dozens. */
export async function listRecipes(db: Executor): Promise<Recipe[]> {
  return (await select<RecipeRow>(db, `SELECT ${RECIPE_COLUMNS} FROM recipes ORDER BY name LIMIT 1000`)).map(
    rowToRecipe,
  );
}

export async function findRecipe(db: Executor, name: string, { lock = false } = {}): Promise<Recipe | null> {
  const row = await selectOne<RecipeRow>(
    db,
    `SELECT ${RECIPE_COLUMNS} FROM recipes WHERE name = ? ${lock ? 'FOR UPDATE' : ''}`,
    [name],
  );
  return row && rowToRecipe(row);
}

/** @throws ER_DUP_ENTRY when the name is taken */
export async function insertRecipe(tx: Transaction, recipe: Recipe): Promise<void> {
  await change(tx, `INSERT INTO recipes (${RECIPE_COLUMNS}) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`, [
    recipe.name,
    ...settingsOf(recipe),
    recipe.revision,
  ]);
}

export async function updateRecipe(tx: Transaction, recipe: Recipe): Promise<void> {
  await change(
    tx,
    'UPDATE recipes SET title = ?, kinds = ?, folders = ?, made_when = ?, steps = ?, output = ?, ladder = ?, revision = ? WHERE name = ?',
    [...settingsOf(recipe), recipe.revision, recipe.name],
  );
}

export async function deleteRecipeRow(tx: Transaction, name: string): Promise<void> {
  await change(tx, 'DELETE FROM recipes WHERE name = ?', [name]);
}

/** One edit of a recipe. */
export interface RecipeRevision {
  revision: number;
  recipe: PortableRecipe;
  by: string;
  at: Date;
}

/** Records a revision of a recipe. */
export async function insertRevision(tx: Transaction, recipe: Recipe, by: string): Promise<void> {
  const { revision, ...portable } = recipe;
  await change(
    tx,
    `INSERT INTO recipe_revisions (name, revision, recipe, made_by) VALUES (?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE recipe = VALUES(recipe), made_by = VALUES(made_by), created_at = NOW(3)`,
    [recipe.name, revision, writeJson(portable), by],
  );
}

/** Lists the revisions of a recipe, newest first. */
export async function listRevisions(db: Executor, name: string): Promise<RecipeRevision[]> {
  const rows = await select<{ revision: number; recipe: string; made_by: string; created_at: Date }>(
    db,
    'SELECT revision, recipe, made_by, created_at FROM recipe_revisions WHERE name = ? ORDER BY revision DESC LIMIT 200',
    [name],
  );
  return rows.map(({ revision, recipe, made_by, created_at }) => ({
    revision,
    recipe: JSON.parse(recipe),
    by: made_by,
    at: created_at,
  }));
}

/** The highest revision that a recipe of this name has ever had; 0 when there was none. */
export async function lastRevision(db: Executor, name: string): Promise<number> {
  const row = await selectOne<{ last: number | null }>(
    db,
    'SELECT MAX(revision) AS last FROM recipe_revisions WHERE name = ?',
    [name],
  );
  return row?.last ?? 0;
}

function settingsOf(recipe: Recipe): (string | null)[] {
  return [
    recipe.title,
    writeJson(recipe.kinds),
    writeJson(recipe.folders),
    recipe.when,
    writeJson(recipe.steps),
    writeJson(recipe.output),
    recipe.ladder ? writeJson(recipe.ladder) : null,
  ];
}

function rowToRecipe(row: RecipeRow): Recipe {
  return {
    name: row.name,
    title: row.title,
    kinds: JSON.parse(row.kinds) as Kind[],
    folders: JSON.parse(row.folders),
    when: row.made_when,
    steps: JSON.parse(row.steps),
    output: JSON.parse(row.output),
    ...(row.ladder !== null && { ladder: JSON.parse(row.ladder) }),
    revision: row.revision,
  };
}
