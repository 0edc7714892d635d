import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  selectOne,
  type Transaction,
} from '../shared/database.js';
import type { RenditionRow } from './queries.js';

/** Identifies a file of a recipe and an asset. */
export type RenditionKey = [asset: number, recipe: string, variant: string];

export interface SurplusRow {
  asset_id: number;
  recipe: string;
  variant: string;
  mime: string;
  width: number;
  height: number;
  bytes: number;
  name: string;
  address_stem: string;
  folder_path: string;
  has_recipe: number;
  requests: number | null;
  last_at: Date | null;
}

/** A selection of surplus renditions. */
export interface SurplusFilter {
  recipes?: readonly string[] | undefined;
  /** Only those that were not requested within this many days. */
  unaskedDays?: number | undefined;
  keys?: readonly RenditionKey[] | undefined;
}

const FROM = `FROM renditions FORCE INDEX (renditions_by_state)
  JOIN assets ON assets.id = renditions.asset_id
  JOIN folders ON folders.id = assets.folder_id
  LEFT JOIN recipes ON recipes.name = renditions.recipe
  LEFT JOIN rendition_requests AS asked
    ON asked.asset_id = renditions.asset_id AND asked.recipe = renditions.recipe AND asked.variant = renditions.variant`;

function conditionOf({ recipes, unaskedDays, keys }: SurplusFilter) {
  const parts = ["renditions.state = 'surplus'", 'renditions.sha256 IS NOT NULL', 'assets.live = 1'];
  const values: unknown[] = [];
  if (recipes) {
    parts.push('renditions.recipe IN (?)');
    values.push(recipes);
  }
  if (unaskedDays !== undefined) {
    parts.push('(asked.last_at IS NULL OR asked.last_at < NOW(3) - INTERVAL ? DAY)');
    values.push(unaskedDays);
  }
  if (keys) {
    parts.push('(renditions.asset_id, renditions.recipe, renditions.variant) IN (?)');
    values.push(keys);
  }
  return { sql: parts.join(' AND '), values: values as never[] };
}

/** Reads one page of surplus renditions by recipe and asset, with one more than `limit`. */
export async function listSurplus(
  db: Executor,
  filter: SurplusFilter,
  { limit, after }: { limit: number; after: [recipe: string, asset: number, variant: string] | null },
): Promise<SurplusRow[]> {
  const { sql, values } = conditionOf(filter);
  const position = after
    ? 'AND (renditions.recipe > ? OR (renditions.recipe = ? AND (renditions.asset_id > ? OR (renditions.asset_id = ? AND renditions.variant > ?))))'
    : '';
  return selectExpanded<SurplusRow>(
    db,
    `SELECT renditions.asset_id, renditions.recipe, renditions.variant, renditions.mime, renditions.width, renditions.height,
            renditions.bytes, assets.name, assets.address_stem, folders.path AS folder_path,
            recipes.name IS NOT NULL AS has_recipe, asked.requests, asked.last_at
     ${FROM}
     WHERE ${sql} ${position}
     ORDER BY renditions.recipe, renditions.asset_id, renditions.variant
     LIMIT ?`,
    [...values, ...(after ? [after[0], after[0], after[1], after[1], after[2]] : []), limit + 1],
  );
}

/** Counts surplus renditions and their bytes. */
export async function countSurplus(
  db: Executor,
  filter: SurplusFilter,
): Promise<{ items: number; bytes: number }> {
  const { sql, values } = conditionOf(filter);
  const [row] = await selectExpanded<{ items: number; bytes: number | null }>(
    db,
    `SELECT COUNT(*) AS items, SUM(renditions.bytes) AS bytes ${FROM} WHERE ${sql}`,
    values,
  );
  return { items: Number(row?.items ?? 0), bytes: Number(row?.bytes ?? 0) };
}

/** Lists the keys of all selected surplus renditions. */
export async function listSurplusKeys(db: Executor, filter: SurplusFilter): Promise<RenditionKey[]> {
  const { sql, values } = conditionOf(filter);
  const rows = await selectExpanded<{ asset_id: number; recipe: string; variant: string }>(
    db,
    `SELECT renditions.asset_id, renditions.recipe, renditions.variant ${FROM} WHERE ${sql}
     ORDER BY renditions.asset_id, renditions.recipe, renditions.variant LIMIT 10000000`,
    values,
  );
  return rows.map(({ asset_id, recipe, variant }) => [asset_id, recipe, variant]);
}

/** A deleted rendition whose URL redirects. */
export interface RemovedRow {
  asset_id: number;
  recipe: string;
  variant: string;
  mime: string;
  width: number;
  height: number;
  bytes: number;
  /** Null after the thirty days. */
  sha256: string | null;
}

const REMOVED_COLUMNS = 'asset_id, recipe, variant, mime, width, height, bytes, sha256';

/** Stores deleted renditions, so that their URLs redirect and the deletion can be undone. */
export async function insertRemoved(
  tx: Transaction,
  runId: string,
  rows: readonly RenditionRow[],
): Promise<void> {
  if (rows.length === 0) return;
  await changeExpanded(
    tx,
    `INSERT INTO removed_renditions (${REMOVED_COLUMNS}, run_id) VALUES ?
     ON DUPLICATE KEY UPDATE mime = VALUES(mime), width = VALUES(width), height = VALUES(height), bytes = VALUES(bytes),
       sha256 = VALUES(sha256), run_id = VALUES(run_id), removed_at = NOW(3)`,
    [
      rows.map((row) => [
        row.asset_id,
        row.recipe,
        row.variant,
        row.mime,
        row.width,
        row.height,
        row.bytes,
        row.sha256,
        runId,
      ]),
    ],
  );
}

export async function findRemoved(
  db: Executor,
  assetId: number,
  recipe: string,
  variant: string,
): Promise<RemovedRow | null> {
  return selectOne<RemovedRow>(
    db,
    `SELECT ${REMOVED_COLUMNS} FROM removed_renditions WHERE asset_id = ? AND recipe = ? AND variant = ?`,
    [assetId, recipe, variant],
  );
}

/** Locks a run's deleted renditions that can still be restored. */
export async function lockRemoved(
  tx: Transaction,
  runId: string,
  keys: readonly RenditionKey[],
): Promise<RemovedRow[]> {
  return selectExpanded<RemovedRow>(
    tx,
    `SELECT ${REMOVED_COLUMNS} FROM removed_renditions
     WHERE (asset_id, recipe, variant) IN (?) AND run_id = ? AND sha256 IS NOT NULL
     ORDER BY asset_id, recipe, variant FOR UPDATE`,
    [keys, runId],
  );
}

/** Lists a run's deleted renditions that can still be restored. */
export async function listRemovedKeys(db: Executor, runId: string): Promise<RenditionKey[]> {
  const rows = await select<{ asset_id: number; recipe: string; variant: string }>(
    db,
    `SELECT asset_id, recipe, variant FROM removed_renditions
     WHERE run_id = ? AND sha256 IS NOT NULL ORDER BY asset_id, recipe, variant LIMIT 10000000`,
    [runId],
  );
  return rows.map(({ asset_id, recipe, variant }) => [asset_id, recipe, variant]);
}

/** Deletes the records of deleted files whose URLs are in use again. */
export async function forgetRemoved(
  tx: Transaction,
  assetId: number,
  files: readonly { recipe: string; variant: string }[],
): Promise<void> {
  if (files.length === 0) return;
  await changeExpanded(tx, 'DELETE FROM removed_renditions WHERE (asset_id, recipe, variant) IN (?)', [
    files.map(({ recipe, variant }) => [assetId, recipe, variant]),
  ]);
}

/** Releases the bytes of files deleted this many days ago; their URLs keep redirecting. */
export async function releaseRemoved(db: Executor, days: number): Promise<number> {
  const { affectedRows } = await change(
    db,
    'UPDATE removed_renditions SET sha256 = NULL WHERE sha256 IS NOT NULL AND removed_at < NOW(3) - INTERVAL ? DAY',
    [days],
  );
  return affectedRows;
}

/** Adds served requests to the stored counts. */
export async function addRequests(
  db: Executor,
  counts: readonly { assetId: number; recipe: string; variant: string; requests: number; lastAt: Date }[],
): Promise<void> {
  if (counts.length === 0) return;
  await changeExpanded(
    db,
    `INSERT INTO rendition_requests (asset_id, recipe, variant, requests, last_at) VALUES ?
     ON DUPLICATE KEY UPDATE requests = requests + VALUES(requests), last_at = GREATEST(last_at, VALUES(last_at))`,
    [
      counts.map(({ assetId, recipe, variant, requests, lastAt }) => [
        assetId,
        recipe,
        variant,
        requests,
        lastAt,
      ]),
    ],
  );
}
