import { createHash } from 'node:crypto';
import type { CopyState } from '@uniferum/core/copies';
import { addToCounters, type CounterScope } from '../shared/counters.js';
import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  type Transaction,
} from '../shared/database.js';

export interface CopyRow {
  id: number;
  asset_id: number;
  store_id: number;
  /** Empty for an original. */
  recipe: string;
  variant: string;
  sha256: string;
  state: Exclude<CopyState, 'removing'>;
  store_key: string;
  bytes: number;
  mime: string;
  etag: string | null;
  error: string | null;
  stale_at: Date | null;
  checked_at: Date | null;
  created_at: Date;
}

export type NewCopy = Pick<
  CopyRow,
  'asset_id' | 'store_id' | 'recipe' | 'variant' | 'sha256' | 'store_key' | 'bytes' | 'mime'
>;

const COLUMNS =
  'id, asset_id, store_id, recipe, variant, sha256, state, store_key, bytes, mime, etag, error, stale_at, checked_at, created_at';

/** Where the copies of a store are counted, by state. */
export const copiesScope = (storeId: number): CounterScope => `copies:${storeId}`;

/** Lists the copies of assets, by asset and file. */
export async function findCopiesOf(
  db: Executor,
  assetIds: readonly number[],
  { lock = false } = {},
): Promise<CopyRow[]> {
  if (assetIds.length === 0) return [];
  return selectExpanded<CopyRow>(
    db,
    `SELECT ${COLUMNS} FROM placed_copies WHERE asset_id IN (?)
     ORDER BY asset_id, store_id, recipe, variant, id ${lock ? 'FOR UPDATE' : ''}`,
    [assetIds],
  );
}

export async function findCopiesById(
  db: Executor,
  ids: readonly number[],
  { lock = false } = {},
): Promise<CopyRow[]> {
  if (ids.length === 0) return [];
  return selectExpanded<CopyRow>(
    db,
    `SELECT ${COLUMNS} FROM placed_copies WHERE id IN (?) ORDER BY id ${lock ? 'FOR UPDATE' : ''}`,
    [ids],
  );
}

/** Lists good copies of some bytes outside the home store, the most recently verified first. */
export async function findGoodCopies(db: Executor, sha256: string): Promise<CopyRow[]> {
  return select<CopyRow>(
    db,
    `SELECT ${COLUMNS} FROM placed_copies WHERE sha256 = ? AND state = 'stored' ORDER BY checked_at DESC, id LIMIT 20`,
    [sha256],
  );
}

/** The hash by which copies are found at a key. */
export function keyHash(key: string): Buffer {
  return createHash('sha1').update(key).digest().subarray(0, 8);
}

/** Finds the copies at keys of a store. */
export async function findCopiesByKey(
  db: Executor,
  storeId: number,
  keys: readonly string[],
): Promise<CopyRow[]> {
  if (keys.length === 0) return [];
  const rows = await selectExpanded<CopyRow>(
    db,
    `SELECT ${COLUMNS} FROM placed_copies WHERE store_id = ? AND key_hash IN (?) ORDER BY id`,
    [storeId, keys.map(keyHash)],
  );
  const wanted = new Set(keys);
  return rows.filter(({ store_key }) => wanted.has(store_key));
}

/** The copy of one file of an asset in a store. */
export async function findStoredCopy(
  db: Executor,
  file: Pick<CopyRow, 'asset_id' | 'store_id' | 'recipe' | 'variant' | 'sha256'>,
): Promise<CopyRow | null> {
  const [row] = await select<CopyRow>(
    db,
    `SELECT ${COLUMNS} FROM placed_copies
     WHERE asset_id = ? AND store_id = ? AND recipe = ? AND variant = ? AND sha256 = ? AND state = 'stored'`,
    [file.asset_id, file.store_id, file.recipe, file.variant, file.sha256],
  );
  return row ?? null;
}

/** Adds copies to be stored; those that exist stay as they are. */
export async function insertWanted(tx: Transaction, copies: readonly NewCopy[]): Promise<void> {
  for (const copy of copies) {
    const { affectedRows } = await change(
      tx,
      `INSERT IGNORE INTO placed_copies (asset_id, store_id, recipe, variant, sha256, state, store_key, bytes, mime)
       VALUES (?, ?, ?, ?, ?, 'wanted', ?, ?, ?)`,
      [
        ...[copy.asset_id, copy.store_id, copy.recipe, copy.variant, copy.sha256],
        ...[copy.store_key, copy.bytes, copy.mime],
      ],
    );
    if (affectedRows > 0) await count(tx, [{ ...copy, state: 'wanted' }], 1);
  }
}

/** What is recorded about a copy when its state changes. */
export interface CopyChange {
  state: CopyRow['state'];
  etag?: string | null;
  error?: string | null;
  isChecked?: boolean;
}

/** Changes the state of locked copies. */
export async function updateCopies(
  tx: Transaction,
  rows: readonly CopyRow[],
  { state, etag, error = null, isChecked = false }: CopyChange,
): Promise<void> {
  if (rows.length === 0) return;
  await changeExpanded(
    tx,
    `UPDATE placed_copies SET state = ?, error = ?${etag === undefined ? '' : ', etag = ?'}${isChecked ? ', checked_at = NOW(3)' : ''} WHERE id IN (?)`,
    [
      ...[state, error?.slice(0, 500) ?? null, ...(etag === undefined ? [] : [etag])],
      rows.map(({ id }) => id),
    ],
  );
  const moved = rows.filter((row) => row.state !== state);
  await count(tx, moved, -1);
  await count(
    tx,
    moved.map((row) => ({ ...row, state })),
    1,
  );
}

/** Marks locked copies whose bytes the library no longer shows, and those whose bytes it shows again. */
export async function updateStale(
  tx: Transaction,
  assetIds: readonly number[],
  stale: readonly number[],
): Promise<void> {
  const isStale = stale.length > 0 ? 'id IN (?)' : 'FALSE';
  const values = stale.length > 0 ? [[...stale]] : [];
  await changeExpanded(
    tx,
    `UPDATE placed_copies SET stale_at = IF(${isStale}, COALESCE(stale_at, NOW(3)), NULL)
     WHERE asset_id IN (?) AND (stale_at IS NOT NULL OR ${isStale})`,
    [...values, [...assetIds], ...values],
  );
}

/** Deletes locked copies; what is stored at their keys is deleted later. */
export async function discardCopies(tx: Transaction, rows: readonly CopyRow[]): Promise<void> {
  if (rows.length === 0) return;
  await changeExpanded(
    tx,
    'INSERT INTO discarded_objects (store_id, store_key, asset_id, recipe, variant, bytes) VALUES ?',
    [
      rows.map(({ store_id, store_key, asset_id, recipe, variant, bytes }) => [
        ...[store_id, store_key, asset_id, recipe, variant, bytes],
      ]),
    ],
  );
  await forgetCopies(tx, rows);
  await addToCounters(
    tx,
    rows.map(({ store_id, bytes }) => ({ scope: copiesScope(store_id), name: 'removing', items: 1, bytes })),
  );
}

/** Deletes the records of locked copies, and leaves what is stored. */
export async function forgetCopies(tx: Transaction, rows: readonly CopyRow[]): Promise<void> {
  if (rows.length === 0) return;
  await changeExpanded(tx, 'DELETE FROM placed_copies WHERE id IN (?)', [rows.map(({ id }) => id)]);
  await count(tx, rows, -1);
}

export interface DiscardedRow {
  id: number;
  store_id: number;
  store_key: string;
  asset_id: number;
  recipe: string;
  variant: string;
  bytes: number;
}

const DISCARDED = 'id, store_id, store_key, asset_id, recipe, variant, bytes';

/** Lists objects to delete, the oldest first. */
export async function listDiscarded(
  db: Executor,
  { storeId, after, limit }: { storeId: number; after: number; limit: number },
): Promise<DiscardedRow[]> {
  return select<DiscardedRow>(
    db,
    `SELECT ${DISCARDED} FROM discarded_objects WHERE store_id = ? AND id > ? ORDER BY id LIMIT ?`,
    [storeId, after, limit],
  );
}

export async function findDiscardedOf(db: Executor, assetIds: readonly number[]): Promise<DiscardedRow[]> {
  if (assetIds.length === 0) return [];
  return selectExpanded<DiscardedRow>(
    db,
    `SELECT ${DISCARDED} FROM discarded_objects WHERE asset_id IN (?) ORDER BY id LIMIT 10000`,
    [assetIds],
  );
}

/** Forgets objects that are deleted. */
export async function deleteDiscarded(tx: Transaction, rows: readonly DiscardedRow[]): Promise<void> {
  for (const { id, store_id, bytes } of rows) {
    const { affectedRows } = await change(tx, 'DELETE FROM discarded_objects WHERE id = ?', [id]);
    if (affectedRows > 0)
      await addToCounters(tx, [{ scope: copiesScope(store_id), name: 'removing', items: -1, bytes: -bytes }]);
  }
}

/** The assets with copies whose bytes the library has not shown for some days. */
export async function listLongStale(
  db: Executor,
  { days, limit }: { days: number; limit: number },
): Promise<number[]> {
  const rows = await select<{ id: number }>(
    db,
    'SELECT id FROM placed_copies WHERE stale_at < NOW(3) - INTERVAL ? DAY ORDER BY stale_at LIMIT ?',
    [days, limit],
  );
  return rows.map(({ id }) => id);
}

/** Whether a store has any copies, or objects to delete. */
export async function hasCopies(db: Executor, storeId: number): Promise<boolean> {
  const rows = await select(
    db,
    `(SELECT 1 FROM placed_copies WHERE store_id = ? LIMIT 1) UNION ALL
     (SELECT 1 FROM discarded_objects WHERE store_id = ? LIMIT 1)`,
    [storeId, storeId],
  );
  return rows.length > 0;
}

async function count(
  tx: Transaction,
  rows: readonly Pick<CopyRow, 'store_id' | 'state' | 'bytes'>[],
  sign: 1 | -1,
): Promise<void> {
  await addToCounters(
    tx,
    rows.map(({ store_id, state, bytes }) => ({
      scope: copiesScope(store_id),
      name: state,
      items: sign,
      bytes: sign * bytes,
    })),
  );
}
