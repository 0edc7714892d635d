import { type CountCheck, counterCheck, findDrifts } from '../shared/count-checks.js';
import { change, type Executor, selectOne, writeJson } from '../shared/database.js';

const folders: CountCheck = {
  name: 'folders',
  find: (tx) =>
    findDrifts(
      tx,
      'SELECT folder_id AS what, COUNT(*) AS items, SUM(bytes) AS bytes FROM assets WHERE live = 1 GROUP BY folder_id',
      'SELECT id, -CAST(items AS SIGNED), -CAST(bytes AS SIGNED) FROM folders',
    ),
  repair: (tx, { what, items, bytes }) =>
    change(
      tx,
      `UPDATE folders SET items = CAST(items AS SIGNED) + ?, bytes = CAST(bytes AS SIGNED) + ? WHERE id = ?`,
      [items, bytes, what],
    ),
};

const holders: CountCheck = {
  name: 'holders',
  find: (tx) =>
    findDrifts(
      tx,
      'SELECT sha256 AS what, COUNT(*) AS items, 0 AS bytes FROM assets WHERE live = 1 GROUP BY sha256',
      'SELECT sha256, -holders, 0 FROM blobs WHERE holders <> 0',
    ),
  repair: (tx, { what, items }) =>
    change(tx, 'UPDATE blobs SET holders = holders + ? WHERE sha256 = ?', [items, what]),
};

/** The stored counters of the library. */
export const LIBRARY_COUNTS: readonly CountCheck[] = [
  folders,
  holders,
  counterCheck(
    'kinds',
    "scope = 'kind'",
    "SELECT CONCAT('kind ', kind) AS what, COUNT(*) AS items, SUM(bytes) AS bytes FROM assets WHERE live = 1 GROUP BY kind",
  ),
  counterCheck(
    'stores',
    "scope = 'store'",
    `SELECT CONCAT('store ', copies.store) AS what, COUNT(*) AS items, SUM(blobs.bytes) AS bytes
     FROM copies JOIN blobs ON blobs.sha256 = copies.sha256 WHERE copies.left_at IS NULL GROUP BY copies.store`,
  ),
];

/** The results of verification, of the last time and in total. */
export interface VerifiedCounts {
  at: string | null;
  /** When the expensive ones were verified. */
  slowAt: string | null;
  /** The number of corrected counters, by what they count, since installation. */
  corrected: Record<string, number>;
}

/** Reads the results of verification; with `lock`, exclusively until the transaction ends. */
export async function readVerified(db: Executor, { lock = false } = {}): Promise<VerifiedCounts> {
  const row = await selectOne<{ value: string }>(
    db,
    `SELECT value FROM settings WHERE name = 'counters' ${lock ? 'FOR UPDATE' : ''}`,
  );
  return { at: null, slowAt: null, corrected: {}, ...(row && JSON.parse(row.value)) };
}

export async function writeVerified(db: Executor, verified: VerifiedCounts): Promise<void> {
  await change(db, "UPDATE settings SET value = ?, updated_at = NOW(3) WHERE name = 'counters'", [
    writeJson(verified),
  ]);
}
