import { type Recipe, type RenditionState, unmadeState } from '@uniferum/core/recipes';
import { withinFolder } from '../library/folder-queries.js';
import {
  change,
  changeExpanded,
  type Executor,
  type SqlValue,
  select,
  selectExpanded,
  selectOne,
  type Transaction,
} from '../shared/database.js';

/** A batch of assets by id range, both ends included. */
export interface IdRange {
  from: number;
  to: number;
}

function rangeCondition(column: string, range: IdRange | null): { sql: string; values: number[] } {
  return range === null
    ? { sql: '', values: [] }
    : { sql: `AND ${column} BETWEEN ? AND ?`, values: [range.from, range.to] };
}

/** The highest id of an asset; 0 when there is none. */
export async function findLastAssetId(db: Executor): Promise<number> {
  return (await selectOne<{ id: number }>(db, 'SELECT id FROM assets ORDER BY id DESC LIMIT 1'))?.id ?? 0;
}

/** The condition that a recipe applies to a live asset, on `assets` joined with `folders`. */
function appliesCondition(recipe: Pick<Recipe, 'kinds' | 'folders'>, mimes: readonly string[]) {
  const within = (recipe.folders.length === 0 ? ['/'] : recipe.folders).map(withinFolder);
  return {
    sql: `assets.live = 1 AND assets.kind IN (?) AND (assets.mime IN (?) OR assets.kind IN ('audio', 'video')) AND (${within.map(({ sql }) => sql).join(' OR ')})`,
    values: [recipe.kinds, mimes, ...within.flatMap(({ values }) => values)] as (SqlValue | SqlValue[])[],
  };
}

/** Adds a recipe's missing renditions for all live assets to which it applies. @returns how many are new */
export async function insertDueRenditionsOfRecipe(
  tx: Transaction,
  recipe: Recipe,
  mimes: readonly string[],
  range: IdRange | null,
): Promise<number> {
  const applies = appliesCondition(recipe, mimes);
  const within = rangeCondition('assets.id', range);
  const { affectedRows } = await changeExpanded(
    tx,
    `INSERT IGNORE INTO renditions (asset_id, recipe, state)
     SELECT assets.id, ?, ?
     FROM assets
     JOIN folders ON folders.id = assets.folder_id
     WHERE ${applies.sql} ${within.sql}`,
    [recipe.name, unmadeState(recipe.when), ...applies.values, ...within.values],
  );
  return affectedRows;
}

/** Counts the assets to which a recipe would newly apply. */
export async function countNewlyDue(db: Executor, recipe: Recipe, mimes: readonly string[]): Promise<number> {
  const applies = appliesCondition(recipe, mimes);
  const [row] = await selectExpanded<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n
     FROM assets
     JOIN folders ON folders.id = assets.folder_id
     LEFT JOIN renditions ON renditions.asset_id = assets.id AND renditions.recipe = ? AND renditions.variant = ''
     WHERE ${applies.sql} AND (renditions.asset_id IS NULL OR renditions.state = 'surplus')`,
    [recipe.name, ...applies.values],
  );
  return Number(row?.n ?? 0);
}

/** Counts renditions of a recipe whose assets it would no longer apply to. */
export async function countNoLongerApplying(
  db: Executor,
  recipe: Recipe,
  mimes: readonly string[],
): Promise<number> {
  const applies = appliesCondition(recipe, mimes);
  const [row] = await selectExpanded<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n
     FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     JOIN folders ON folders.id = assets.folder_id
     WHERE renditions.recipe = ? AND renditions.variant = '' AND renditions.state <> 'surplus' AND assets.live = 1
       AND NOT (${applies.sql})`,
    [recipe.name, ...applies.values],
  );
  return Number(row?.n ?? 0);
}

/**
 * Marks renditions surplus whose assets a recipe no longer applies to, and due again where it applies again. Assets
 * in the bin are reassessed when they are restored.
 */
export async function moveByApplication(
  tx: Transaction,
  recipe: Recipe,
  mimes: readonly string[],
  range: IdRange | null,
): Promise<void> {
  const applies = appliesCondition(recipe, mimes);
  const within = rangeCondition('renditions.asset_id', range);
  const from = `UPDATE renditions
     JOIN assets ON assets.id = renditions.asset_id
     JOIN folders ON folders.id = assets.folder_id`;
  await changeExpanded(
    tx,
    `${from}
     SET renditions.state = 'surplus'
     WHERE renditions.recipe = ? AND renditions.state <> 'surplus' AND renditions.sha256 IS NOT NULL AND assets.live = 1 AND NOT (${applies.sql}) ${within.sql}`,
    [recipe.name, ...applies.values, ...within.values],
  );
  await changeExpanded(
    tx,
    `DELETE renditions FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     JOIN folders ON folders.id = assets.folder_id
     WHERE renditions.recipe = ? AND renditions.sha256 IS NULL AND assets.live = 1 AND NOT (${applies.sql}) ${within.sql}`,
    [recipe.name, ...applies.values, ...within.values],
  );
  await changeExpanded(
    tx,
    `${from}
     SET renditions.state = IF(renditions.sha256 IS NULL, ?, 'outdated')
     WHERE renditions.recipe = ? AND renditions.variant = '' AND renditions.state = 'surplus' AND (${applies.sql}) ${within.sql}`,
    [unmadeState(recipe.when), recipe.name, ...applies.values, ...within.values],
  );
}

/** Marks everything surplus that a recipe has made. */
export async function moveAllToSurplus(
  tx: Transaction,
  recipe: string,
  range: IdRange | null,
): Promise<void> {
  const within = rangeCondition('asset_id', range);
  await change(
    tx,
    `UPDATE renditions SET state = 'surplus', updated_at = NOW(3) WHERE recipe = ? AND state <> 'surplus' ${within.sql}`,
    [recipe, ...within.values],
  );
}

/** Deletes renditions of a recipe that were never made: no page can show their URLs. */
export async function deleteUnmade(tx: Transaction, recipe: string, range: IdRange | null): Promise<void> {
  const within = rangeCondition('asset_id', range);
  await change(tx, `DELETE FROM renditions WHERE recipe = ? AND sha256 IS NULL ${within.sql}`, [
    recipe,
    ...within.values,
  ]);
}

/** An asset's focal point in core's notation; empty for none. */
const FOCAL_NOW =
  "IF(assets.focal_x IS NULL OR assets.focal_y IS NULL, '', CONCAT(CAST(assets.focal_x AS DECIMAL(5,4)), ',', CAST(assets.focal_y AS DECIMAL(5,4))))";

/**
 * Reassesses a recipe's files after an edit. A file is fresh if it was made with the current content from the asset's
 * current state, even if that was before another edit that has been reverted.
 *
 * @param wantsFocal whether the recipe depends on the focal point
 */
export async function judgeByContent(
  tx: Transaction,
  recipe: string,
  { content, marks, wantsFocal }: { content: string; marks: string | null; wantsFocal: boolean },
  range: IdRange | null,
): Promise<void> {
  const within = rangeCondition('renditions.asset_id', range);
  const focal = wantsFocal ? `renditions.focal = ${FOCAL_NOW}` : '1 = 1';
  await change(
    tx,
    `UPDATE renditions
     JOIN assets ON assets.id = renditions.asset_id
     SET renditions.updated_at = NOW(3),
         renditions.state = IF(renditions.content = ? AND renditions.source_sha = assets.sha256 AND renditions.marks <=> ? AND ${focal}, 'fresh', 'outdated')
     WHERE renditions.recipe = ? AND renditions.state IN ('fresh', 'outdated') ${within.sql}`,
    [content, marks, recipe, ...within.values],
  );
}

/** Lets an edited recipe retry failed renditions: due, or outdated where an earlier file is shown. */
export async function reviveFailed(
  tx: Transaction,
  { name, when }: Recipe,
  range: IdRange | null,
): Promise<void> {
  const within = rangeCondition('asset_id', range);
  await change(
    tx,
    `UPDATE renditions SET state = IF(sha256 IS NULL, ?, 'outdated'), error = NULL, updated_at = NOW(3)
     WHERE recipe = ? AND state IN ('failed', 'not-applicable') ${within.sql}`,
    [unmadeState(when), name, ...within.values],
  );
}

/** Updates the state of renditions never made to match when the recipe makes them. */
export async function restateUnmade(
  tx: Transaction,
  { name, when }: Recipe,
  range: IdRange | null,
): Promise<void> {
  const within = rangeCondition('asset_id', range);
  const [now, before] = when === 'on-request' ? ['on-request', 'due'] : ['due', 'on-request'];
  await change(
    tx,
    `UPDATE renditions SET state = ?, updated_at = NOW(3) WHERE recipe = ? AND state = ? ${within.sql}`,
    [now, name, before, ...within.values],
  );
}

/** Fills in the digests of fresh files that an earlier server made without recording them. */
export async function fillOrigins(
  tx: Transaction,
  recipe: string,
  { content, wantsFocal }: { content: string; wantsFocal: boolean },
): Promise<void> {
  await change(
    tx,
    `UPDATE renditions
     JOIN assets ON assets.id = renditions.asset_id
     SET renditions.content = ?, renditions.source_sha = assets.sha256,
         renditions.focal = IF(?, ${FOCAL_NOW}, '')
     WHERE renditions.recipe = ? AND renditions.state = 'fresh' AND renditions.content IS NULL`,
    [content, wantsFocal, recipe],
  );
}

/** Recounts a recipe's renditions of live assets by state: main files, and the bytes of all files. */
export async function countRenditionsOfRecipe(
  tx: Executor,
  recipe: string,
  range: IdRange | null,
): Promise<{ state: RenditionState; items: number; bytes: number }[]> {
  const within = rangeCondition('renditions.asset_id', range);
  const rows = await select<{ state: RenditionState; items: number; bytes: number | null }>(
    tx,
    `SELECT renditions.state, SUM(renditions.variant = '') AS items, SUM(renditions.bytes) AS bytes
     FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     WHERE renditions.recipe = ? AND assets.live = 1 ${within.sql}
     GROUP BY renditions.state
     ORDER BY renditions.state`,
    [recipe, ...within.values],
  );
  return rows.map(({ state, items, bytes }) => ({ state, items: Number(items), bytes: Number(bytes ?? 0) }));
}
