import { addToCounter } from '../shared/counters.js';
import {
  change,
  changeExpanded,
  type Executor,
  selectExpanded,
  type Transaction,
} from '../shared/database.js';

/** A copy in the home store. */
export interface HomeCopy {
  sha256: string;
  bytes: number;
  created_at: Date;
  damaged_at: Date | null;
  /** When somebody brought it back; placements leave it then. */
  fetched_at: Date | null;
}

/** The home store's copies of some bytes; a locking read sees what others have just committed. */
export async function findHomeCopies(
  db: Executor,
  home: string,
  digests: readonly string[],
  { lock = false } = {},
): Promise<HomeCopy[]> {
  if (digests.length === 0) return [];
  return selectExpanded<HomeCopy>(
    db,
    `SELECT copies.sha256, blobs.bytes, copies.created_at, copies.damaged_at, copies.fetched_at
     FROM copies JOIN blobs ON blobs.sha256 = copies.sha256
     WHERE copies.store = ? AND copies.sha256 IN (?) AND copies.left_at IS NULL ORDER BY copies.sha256 ${lock ? 'FOR UPDATE' : ''}`,
    [home, [...digests]],
  );
}

/** Records that the home store no longer has some bytes. @returns whether it had them */
export async function leaveHomeCopy(
  tx: Transaction,
  home: string,
  { sha256, bytes }: Pick<HomeCopy, 'sha256' | 'bytes'>,
): Promise<boolean> {
  const { affectedRows } = await change(
    tx,
    'UPDATE copies SET left_at = NOW(3) WHERE sha256 = ? AND store = ? AND left_at IS NULL',
    [sha256, home],
  );
  if (affectedRows > 0) await addToCounter(tx, 'store', home, { items: -1, bytes: -bytes });
  return affectedRows > 0;
}

/** Records that somebody wants these bytes in the home store. */
export async function pinHomeCopy(tx: Executor, home: string, sha256: string): Promise<void> {
  await change(tx, 'UPDATE copies SET fetched_at = NOW(3) WHERE sha256 = ? AND store = ?', [sha256, home]);
}

/** Records that the home store's copies are missing or damaged, or that they are good again. */
export async function updateHomeDamage(
  tx: Executor,
  home: string,
  digests: readonly string[],
  isDamaged: boolean,
): Promise<void> {
  if (digests.length === 0) return;
  await changeExpanded(
    tx,
    `UPDATE copies SET damaged_at = ${isDamaged ? 'COALESCE(damaged_at, NOW(3))' : 'NULL'} WHERE store = ? AND sha256 IN (?)`,
    [home, [...digests]],
  );
}
