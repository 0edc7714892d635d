import type { Recipe, RenditionState } from '@uniferum/core';
import {
  change,
  changeExpanded,
  type Executor,
  escapeLike,
  type SqlValue,
  select,
  selectExpanded,
  selectOne,
  type Transaction,
} from '../shared/database.js';

/** One file of a recipe and an asset; `variant` is empty for the main one. */
export interface RenditionRow {
  asset_id: number;
  recipe: string;
  variant: string;
  state: RenditionState;
  revision: number | null;
  version: number | null;
  content: string | null;
  source_sha: string | null;
  focal: string;
  marks: string | null;
  sha256: string | null;
  mime: string | null;
  width: number | null;
  height: number | null;
  bytes: number | null;
  quality: number | null;
  likeness: number | null;
  work_ms: number | null;
  error: string | null;
}

/** Of a file of which it is not known by what and from what it was made. */
export const UNKNOWN_ORIGIN = {
  revision: null,
  version: null,
  content: null,
  source_sha: null,
  focal: '',
  marks: null,
  quality: null,
  likeness: null,
  work_ms: null,
  error: null,
} as const satisfies Partial<RenditionRow>;

const COLUMNS = [
  'asset_id',
  'recipe',
  'variant',
  'state',
  'revision',
  'version',
  'content',
  'source_sha',
  'focal',
  'marks',
  'sha256',
  'mime',
  'width',
  'height',
  'bytes',
  'quality',
  'likeness',
  'work_ms',
  'error',
] as const satisfies readonly (keyof RenditionRow)[];
const RENDITION_COLUMNS = COLUMNS.join(', ');
const KEY_COLUMNS = new Set(['asset_id', 'recipe', 'variant']);

/** Lists the renditions of assets, by asset, recipe and variant. */
export async function findRenditions(
  db: Executor,
  assetIds: readonly (number | string)[],
  { lock = false } = {},
): Promise<RenditionRow[]> {
  if (assetIds.length === 0) return [];
  return selectExpanded<RenditionRow>(
    db,
    `SELECT ${RENDITION_COLUMNS} FROM renditions WHERE asset_id IN (?) ORDER BY asset_id, recipe, variant ${lock ? 'FOR UPDATE' : ''}`,
    [assetIds],
  );
}

export async function findRendition(
  db: Executor,
  assetId: number | string,
  recipe: string,
  variant = '',
): Promise<RenditionRow | null> {
  return selectOne<RenditionRow>(
    db,
    `SELECT ${RENDITION_COLUMNS} FROM renditions WHERE asset_id = ? AND recipe = ? AND variant = ?`,
    [assetId, recipe, variant],
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

/** The condition that a recipe applies to a live asset, on `assets` joined with `folders`. */
function appliesCondition(recipe: Pick<Recipe, 'kinds' | 'folders'>, mimes: readonly string[]) {
  const within = recipe.folders.flatMap((folder) =>
    folder === '/' ? [] : [folder, `${escapeLike(folder)}/%`],
  );
  const isEverywhere = within.length === 0 || recipe.folders.includes('/');
  const folders = isEverywhere ? '1 = 1' : within.map(() => 'folders.path LIKE ?').join(' OR ');
  return {
    sql: `assets.live = 1 AND assets.kind IN (?) AND (assets.mime IN (?) OR assets.kind IN ('audio', 'video')) AND (${folders})`,
    values: [recipe.kinds, mimes, ...(isEverywhere ? [] : within)] as (SqlValue | SqlValue[])[],
  };
}

/** Writes down that a recipe's renditions are wanted of all live assets to which it applies. @returns how many are new */
export async function insertDueRenditionsOfRecipe(
  tx: Transaction,
  recipe: Recipe,
  mimes: readonly string[],
): Promise<number> {
  const applies = appliesCondition(recipe, mimes);
  const { affectedRows } = await changeExpanded(
    tx,
    `INSERT IGNORE INTO renditions (asset_id, recipe, state)
     SELECT assets.id, ?, 'due'
     FROM assets
     JOIN folders ON folders.id = assets.folder_id
     WHERE ${applies.sql}`,
    [recipe.name, ...applies.values],
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
): Promise<void> {
  const applies = appliesCondition(recipe, mimes);
  const from = `UPDATE renditions
     JOIN assets ON assets.id = renditions.asset_id
     JOIN folders ON folders.id = assets.folder_id`;
  await changeExpanded(
    tx,
    `${from}
     SET renditions.state = 'surplus'
     WHERE renditions.recipe = ? AND renditions.state <> 'surplus' AND renditions.sha256 IS NOT NULL AND assets.live = 1 AND NOT (${applies.sql})`,
    [recipe.name, ...applies.values],
  );
  await changeExpanded(
    tx,
    `DELETE renditions FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     JOIN folders ON folders.id = assets.folder_id
     WHERE renditions.recipe = ? AND renditions.sha256 IS NULL AND assets.live = 1 AND NOT (${applies.sql})`,
    [recipe.name, ...applies.values],
  );
  await changeExpanded(
    tx,
    `${from}
     SET renditions.state = IF(renditions.sha256 IS NULL, 'due', 'outdated')
     WHERE renditions.recipe = ? AND renditions.variant = '' AND renditions.state = 'surplus' AND (${applies.sql})`,
    [recipe.name, ...applies.values],
  );
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
): Promise<void> {
  const focal = wantsFocal ? `renditions.focal = ${FOCAL_NOW}` : '1 = 1';
  await change(
    tx,
    `UPDATE renditions
     JOIN assets ON assets.id = renditions.asset_id
     SET renditions.updated_at = NOW(3),
         renditions.state = IF(renditions.content = ? AND renditions.source_sha = assets.sha256 AND renditions.marks <=> ? AND ${focal}, 'fresh', 'outdated')
     WHERE renditions.recipe = ? AND renditions.state IN ('fresh', 'outdated')`,
    [content, marks, recipe],
  );
}

/** Lets what could not be made be tried again by an edited recipe: due, or outdated where an earlier file is shown. */
export async function reviveFailed(tx: Transaction, recipe: string): Promise<void> {
  await change(
    tx,
    `UPDATE renditions SET state = IF(sha256 IS NULL, 'due', 'outdated'), error = NULL, updated_at = NOW(3)
     WHERE recipe = ? AND state = 'failed'`,
    [recipe],
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

/** Writes what was made, or why it could not be, of renditions that are held. */
export async function updateRenditions(tx: Transaction, rows: readonly RenditionRow[]): Promise<void> {
  if (rows.length === 0) return;
  const updates = COLUMNS.filter((column) => !KEY_COLUMNS.has(column)).map(
    (column) => `${column} = VALUES(${column})`,
  );
  await changeExpanded(
    tx,
    `INSERT INTO renditions (${RENDITION_COLUMNS}) VALUES ?
     ON DUPLICATE KEY UPDATE ${updates.join(', ')}, updated_at = NOW(3)`,
    [rows.map((row) => COLUMNS.map((column) => row[column]))],
  );
}

/** Lets renditions count as made from other bytes that look the same. */
export async function adoptRenditions(
  tx: Executor,
  assetId: string,
  { from, to, version }: { from: string; to: string; version: number },
): Promise<void> {
  await change(
    tx,
    'UPDATE renditions SET source_sha = ?, version = ? WHERE asset_id = ? AND source_sha = ?',
    [to, version, assetId, from],
  );
}

/** Removes rows of renditions. */
export async function deleteRenditions(
  tx: Transaction,
  keys: readonly { asset_id: number; recipe: string; variant: string }[],
): Promise<void> {
  if (keys.length === 0) return;
  await changeExpanded(tx, 'DELETE FROM renditions WHERE (asset_id, recipe, variant) IN (?)', [
    keys.map(({ asset_id, recipe, variant }) => [asset_id, recipe, variant]),
  ]);
}

/** Counts a recipe's renditions of live assets afresh, by state: main files, and the bytes of all. */
export async function countRenditionsOfRecipe(
  tx: Executor,
  recipe: string,
): Promise<{ state: RenditionState; items: number; bytes: number }[]> {
  const rows = await select<{ state: RenditionState; items: number; bytes: number | null }>(
    tx,
    `SELECT renditions.state, SUM(renditions.variant = '') AS items, SUM(renditions.bytes) AS bytes
     FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     WHERE renditions.recipe = ? AND assets.live = 1
     GROUP BY renditions.state
     ORDER BY renditions.state`,
    [recipe],
  );
  return rows.map(({ state, items, bytes }) => ({ state, items: Number(items), bytes: Number(bytes ?? 0) }));
}
