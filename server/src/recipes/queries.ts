import { type Recipe, type RenditionState, unmadeState } from '@uniferum/core/recipes';
import type { BlobHolder } from '../library/blob-holder.js';
import {
  change,
  changeExpanded,
  type Executor,
  NEXT_SECOND,
  select,
  selectExpanded,
  selectOne,
  type Transaction,
} from '../shared/database.js';

/** One file of a recipe and an asset; `variant` is empty for the main file. */
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

/** A rendition as it is stored. */
export interface StoredRendition extends RenditionRow {
  /** When its bytes last changed: a full second in which no answer was sent before. */
  made_at: Date;
}

/** For a file whose recipe content and source are unknown. */
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
/** Those that were made before times were kept have one that is late enough. */
const STORED_COLUMNS = `${RENDITION_COLUMNS}, COALESCE(made_at, updated_at) AS made_at`;
const KEY_COLUMNS = new Set(['asset_id', 'recipe', 'variant']);

/** Lists the renditions of assets, by asset, recipe and variant. */
export async function findRenditions(
  db: Executor,
  assetIds: readonly (number | string)[],
  { lock = false } = {},
): Promise<StoredRendition[]> {
  if (assetIds.length === 0) return [];
  return selectExpanded<StoredRendition>(
    db,
    `SELECT ${STORED_COLUMNS} FROM renditions WHERE asset_id IN (?) ORDER BY asset_id, recipe, variant ${lock ? 'FOR UPDATE' : ''}`,
    [assetIds],
  );
}

/** For each recipe, finds the newest asset with a fresh main file; recipes without one are left out. */
export async function findLatestFresh(
  db: Executor,
  recipes: readonly string[],
): Promise<{ recipe: string; asset_id: number }[]> {
  if (recipes.length === 0) return [];
  const one = `(SELECT renditions.recipe, renditions.asset_id
     FROM renditions JOIN assets ON assets.id = renditions.asset_id AND assets.live = 1
     WHERE renditions.recipe = ? AND renditions.variant = '' AND renditions.state = 'fresh'
     ORDER BY renditions.asset_id DESC LIMIT 1)`;
  return select(db, recipes.map(() => one).join(' UNION ALL '), [...recipes]);
}

export async function findRendition(
  db: Executor,
  assetId: number | string,
  recipe: string,
  variant = '',
): Promise<StoredRendition | null> {
  return selectOne<StoredRendition>(
    db,
    `SELECT ${STORED_COLUMNS} FROM renditions WHERE asset_id = ? AND recipe = ? AND variant = ?`,
    [assetId, recipe, variant],
  );
}

/** Adds missing renditions; existing ones stay unchanged. @returns how many are new */
export async function insertDueRenditions(
  tx: Transaction,
  pairs: readonly { assetId: string | number; recipe: Pick<Recipe, 'name' | 'when'> }[],
): Promise<number> {
  if (pairs.length === 0) return 0;
  const rows = pairs.map(({ assetId, recipe }) => [assetId, recipe.name, unmadeState(recipe.when)]);
  return (
    await changeExpanded(tx, 'INSERT IGNORE INTO renditions (asset_id, recipe, state) VALUES ?', [rows])
  ).affectedRows;
}

/** Writes the results of locked renditions: files, or reasons of failure. */
export async function updateRenditions(tx: Transaction, rows: readonly RenditionRow[]): Promise<void> {
  if (rows.length === 0) return;
  const updates = COLUMNS.filter((column) => !KEY_COLUMNS.has(column)).map(
    (column) => `${column} = VALUES(${column})`,
  );
  await changeExpanded(
    tx,
    // Assigned in this order: the time is computed while the row still has the old bytes.
    `INSERT INTO renditions (${RENDITION_COLUMNS}) VALUES ?
     ON DUPLICATE KEY UPDATE
       made_at = IF(sha256 <=> VALUES(sha256), made_at, GREATEST(${NEXT_SECOND}, COALESCE(made_at, updated_at) + INTERVAL 1 SECOND)),
       ${updates.join(', ')}, updated_at = NOW(3)`,
    [rows.map((row) => COLUMNS.map((column) => row[column]))],
  );
}

/** Relabels renditions as made from other bytes that look the same. */
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

/** Deletes rendition rows. */
export async function deleteRenditions(
  tx: Transaction,
  keys: readonly { asset_id: number; recipe: string; variant: string }[],
): Promise<void> {
  if (keys.length === 0) return;
  await changeExpanded(tx, 'DELETE FROM renditions WHERE (asset_id, recipe, variant) IN (?)', [
    keys.map(({ asset_id, recipe, variant }) => [asset_id, recipe, variant]),
  ]);
}

/** Deletes all data about renditions of permanently deleted assets. */
export async function deleteRenditionsOf(tx: Transaction, assetIds: readonly string[]): Promise<void> {
  if (assetIds.length === 0) return;
  for (const table of ['renditions', 'removed_renditions', 'rendition_requests', 'pictures_on_request'])
    await changeExpanded(tx, `DELETE FROM ${table} WHERE asset_id IN (?)`, [assetIds]);
}

/** The references of this room to blobs. */
export const RENDITION_BLOBS: readonly BlobHolder[] = [
  { table: 'renditions', column: 'sha256' },
  { table: 'removed_renditions', column: 'sha256' },
  { table: 'pictures_on_request', column: 'sha256' },
];
