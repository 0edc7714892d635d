import type { Kind, Recipe, RenditionState } from '@uniferum/core';
import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  selectOne,
  type Transaction,
} from '../shared/database.js';

interface RecipeRow {
  name: string;
  title: string;
  kinds: string;
  folders: string;
  made_when: 'background' | 'at-once';
  steps: string;
  output: string;
  revision: number;
}

const RECIPE_COLUMNS = 'name, title, kinds, folders, made_when, steps, output, revision';

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
  await change(tx, `INSERT INTO recipes (${RECIPE_COLUMNS}) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`, [
    recipe.name,
    recipe.title,
    JSON.stringify(recipe.kinds),
    JSON.stringify(recipe.folders),
    recipe.when,
    JSON.stringify(recipe.steps),
    JSON.stringify(recipe.output),
    recipe.revision,
  ]);
}

export async function updateRecipe(tx: Transaction, recipe: Recipe): Promise<void> {
  await change(
    tx,
    'UPDATE recipes SET title = ?, kinds = ?, folders = ?, made_when = ?, steps = ?, output = ?, revision = ? WHERE name = ?',
    [
      recipe.title,
      JSON.stringify(recipe.kinds),
      JSON.stringify(recipe.folders),
      recipe.when,
      JSON.stringify(recipe.steps),
      JSON.stringify(recipe.output),
      recipe.revision,
      recipe.name,
    ],
  );
}

export async function deleteRecipeRow(tx: Transaction, name: string): Promise<void> {
  await change(tx, 'DELETE FROM recipes WHERE name = ?', [name]);
}

export interface RenditionRow {
  asset_id: number;
  recipe: string;
  state: RenditionState;
  revision: number | null;
  version: number | null;
  sha256: string | null;
  mime: string | null;
  width: number | null;
  height: number | null;
  bytes: number | null;
  error: string | null;
}

const RENDITION_COLUMNS =
  'asset_id, recipe, state, revision, version, sha256, mime, width, height, bytes, error';

/** Lists the renditions of assets, by asset and recipe. */
export async function findRenditions(
  db: Executor,
  assetIds: readonly (number | string)[],
  { lock = false } = {},
): Promise<RenditionRow[]> {
  if (assetIds.length === 0) return [];
  return selectExpanded<RenditionRow>(
    db,
    `SELECT ${RENDITION_COLUMNS} FROM renditions WHERE asset_id IN (?) ORDER BY asset_id, recipe ${lock ? 'FOR UPDATE' : ''}`,
    [assetIds],
  );
}

export async function findRendition(
  db: Executor,
  assetId: number | string,
  recipe: string,
): Promise<RenditionRow | null> {
  return selectOne<RenditionRow>(
    db,
    `SELECT ${RENDITION_COLUMNS} FROM renditions WHERE asset_id = ? AND recipe = ?`,
    [assetId, recipe],
  );
}

/** Writes down that renditions are wanted; those that exist stay as they are. @returns how many are new */
export async function insertDueRenditions(
  tx: Transaction,
  pairs: readonly { assetId: string | number; recipe: string }[],
): Promise<number> {
  if (pairs.length === 0) return 0;
  const rows = pairs.map(({ assetId, recipe }) => [assetId, recipe, 'due']);
  return (
    await changeExpanded(tx, 'INSERT IGNORE INTO renditions (asset_id, recipe, state) VALUES ?', [rows])
  ).affectedRows;
}

/** Writes down that a recipe's renditions are wanted of all live assets to which it may apply. @returns how many are new */
export async function insertDueRenditionsOfRecipe(
  tx: Transaction,
  recipe: Recipe,
  mimes: readonly string[],
): Promise<number> {
  const within = recipe.folders.flatMap((folder) =>
    folder === '/' ? [] : [folder, `${folder.replace(/[\\%_]/g, '\\$&')}/%`],
  );
  const folders =
    within.length === 0 || recipe.folders.includes('/')
      ? '1 = 1'
      : within.map(() => 'folders.path LIKE ?').join(' OR ');
  const { affectedRows } = await changeExpanded(
    tx,
    `INSERT IGNORE INTO renditions (asset_id, recipe, state)
     SELECT assets.id, ?, 'due'
     FROM assets
     JOIN folders ON folders.id = assets.folder_id
     WHERE assets.live = 1 AND assets.kind IN (?) AND assets.mime IN (?) AND (${folders})`,
    [recipe.name, recipe.kinds, mimes, ...(folders === '1 = 1' ? [] : within)],
  );
  return affectedRows;
}

/** Changes the state of all of a recipe's renditions that are in one of the given states. */
export async function moveRenditions(
  tx: Transaction,
  recipe: string,
  from: readonly RenditionState[],
  to: RenditionState,
): Promise<void> {
  await changeExpanded(
    tx,
    'UPDATE renditions SET state = ?, updated_at = NOW(3) WHERE recipe = ? AND state IN (?)',
    [to, recipe, from],
  );
}

export async function updateRenditionState(
  tx: Transaction,
  key: { assetId: string | number; recipe: string },
  state: RenditionState,
): Promise<void> {
  await change(tx, 'UPDATE renditions SET state = ?, updated_at = NOW(3) WHERE asset_id = ? AND recipe = ?', [
    state,
    key.assetId,
    key.recipe,
  ]);
}

/** Writes what was made, or why it could not be, of renditions that are held. */
export async function updateRenditions(tx: Transaction, rows: readonly RenditionRow[]): Promise<void> {
  if (rows.length === 0) return;
  const values = rows.map((row) => [
    row.asset_id,
    row.recipe,
    row.state,
    row.revision,
    row.version,
    row.sha256,
    row.mime,
    row.width,
    row.height,
    row.bytes,
    row.error,
  ]);
  await changeExpanded(
    tx,
    `INSERT INTO renditions (${RENDITION_COLUMNS}) VALUES ?
     ON DUPLICATE KEY UPDATE state = VALUES(state), revision = VALUES(revision), version = VALUES(version), sha256 = VALUES(sha256),
       mime = VALUES(mime), width = VALUES(width), height = VALUES(height), bytes = VALUES(bytes), error = VALUES(error), updated_at = NOW(3)`,
    [values],
  );
}

/** Counts a recipe's renditions of live assets afresh, by state. */
export async function countRenditionsOfRecipe(
  tx: Executor,
  recipe: string,
): Promise<{ state: RenditionState; items: number; bytes: number }[]> {
  const rows = await select<{ state: RenditionState; items: number; bytes: number | null }>(
    tx,
    `SELECT renditions.state, COUNT(*) AS items, SUM(renditions.bytes) AS bytes
     FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     WHERE renditions.recipe = ? AND assets.live = 1
     GROUP BY renditions.state
     ORDER BY renditions.state`,
    [recipe],
  );
  return rows.map(({ state, items, bytes }) => ({ state, items: Number(items), bytes: Number(bytes ?? 0) }));
}

/** What a rebuild takes. */
export interface RebuildSelection {
  recipes: readonly string[];
  states: readonly RenditionState[];
}

/** Lists the first renditions that a rebuild would make, and how many there are in all. */
export async function previewRebuild(
  db: Executor,
  { recipes, states }: RebuildSelection,
  limit: number,
): Promise<{
  rows: { asset_id: number; name: string; recipe: string; state: RenditionState }[];
  total: number;
  assets: number;
}> {
  const where = 'renditions.recipe IN (?) AND renditions.state IN (?) AND assets.live = 1';
  const rows = await selectExpanded<{
    asset_id: number;
    name: string;
    recipe: string;
    state: RenditionState;
  }>(
    db,
    `SELECT renditions.asset_id, assets.name, renditions.recipe, renditions.state
     FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     WHERE ${where}
     ORDER BY renditions.asset_id, renditions.recipe
     LIMIT ?`,
    [recipes, states, limit],
  );
  const [counts] = await selectExpanded<{ total: number; assets: number }>(
    db,
    `SELECT COUNT(*) AS total, COUNT(DISTINCT renditions.asset_id) AS assets
     FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     WHERE ${where}`,
    [recipes, states],
  );
  return { rows, total: Number(counts?.total ?? 0), assets: Number(counts?.assets ?? 0) };
}

/** Writes a run's items, one for each asset that a rebuild touches, in one statement. */
export async function insertRebuildItems(
  tx: Transaction,
  runId: string,
  { recipes, states }: RebuildSelection,
): Promise<void> {
  await changeExpanded(
    tx,
    `INSERT IGNORE INTO run_items (run_id, item_key, title, input)
     SELECT ?, CONCAT('asset:', assets.id), assets.name, JSON_OBJECT('asset', CAST(assets.id AS CHAR), 'recipes', JSON_EXTRACT(?, '$'))
     FROM assets
     WHERE assets.live = 1
       AND EXISTS (SELECT 1 FROM renditions WHERE renditions.asset_id = assets.id AND renditions.recipe IN (?) AND renditions.state IN (?))
     ORDER BY assets.id`,
    [runId, JSON.stringify(recipes), recipes, states],
  );
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
    revision: row.revision,
  };
}
