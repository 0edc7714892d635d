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

/** A batch of assets by their ids, both included. */
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

/** Writes down that a recipe's renditions are wanted of all live assets to which it applies. @returns how many are new */
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

/** Counts what a recipe would come to apply to, beyond what has a rendition of it. */
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

/** Counts renditions of a recipe to whose assets it would not apply any more. */
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
 * Makes surplus what a recipe does not apply to any more, and due again what it has come to apply to again. What is in
 * the bin is judged when it comes out.
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

/** Makes everything surplus that a recipe has made. */
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

/** Forgets renditions of a recipe that were never made: they have no address that a page could show. */
export async function deleteUnmade(tx: Transaction, recipe: string, range: IdRange | null): Promise<void> {
  const within = rangeCondition('asset_id', range);
  await change(tx, `DELETE FROM renditions WHERE recipe = ? AND sha256 IS NULL ${within.sql}`, [
    recipe,
    ...within.values,
  ]);
}

/** An asset's focal point as core writes it; empty for none. */
const FOCAL_NOW =
  "IF(assets.focal_x IS NULL OR assets.focal_y IS NULL, '', CONCAT(CAST(assets.focal_x AS DECIMAL(5,4)), ',', CAST(assets.focal_y AS DECIMAL(5,4))))";

/**
 * Judges a recipe's files afresh after an edit: fresh is what was made with this content from what the asset is now,
 * also when it was made before another edit that was taken back.
 *
 * @param wantsFocal whether the focal point matters to the recipe
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

/** Lets what could not be made be tried again by an edited recipe: due, or outdated where an earlier file is shown. */
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

/** Brings what was never made in line with when a recipe makes it. */
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

/** Writes down by what and from what fresh files of a recipe were made, where no earlier server has. */
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

/** Counts a recipe's renditions of live assets afresh, by state: main files, and the bytes of all. */
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
