import { SAMPLE_SECONDS, type StoreSample } from '@uniferum/core/copies';
import {
  change,
  type Database,
  type Executor,
  inTransaction,
  select,
  type Transaction,
} from '../shared/database.js';

/** The beginning of the sample that a moment belongs to. */
const BUCKET = `FROM_UNIXTIME(FLOOR(UNIX_TIMESTAMP() / ${SAMPLE_SECONDS}) * ${SAMPLE_SECONDS})`;

/** Adds bytes that were sent to stores. */
export async function addSent(tx: Transaction, sent: ReadonlyMap<number, number>): Promise<void> {
  for (const [storeId, bytes] of [...sent].sort(([a], [b]) => a - b))
    await change(
      tx,
      `INSERT INTO store_history (store_id, at, sent) VALUES (?, ${BUCKET}, ?)
       ON DUPLICATE KEY UPDATE sent = sent + VALUES(sent)`,
      [storeId, bytes],
    );
}

/** Records what stores hold now. Several servers do so. */
export async function insertSamples(
  db: Executor,
  samples: readonly { storeId: number; bytes: number; copies: number }[],
): Promise<void> {
  for (const { storeId, bytes, copies } of samples)
    await change(
      db,
      `INSERT INTO store_history (store_id, at, bytes, copies) VALUES (?, ${BUCKET}, ?, ?)
       ON DUPLICATE KEY UPDATE bytes = VALUES(bytes), copies = VALUES(copies)`,
      [storeId, bytes, copies],
    );
}

/** Lists the samples of a store over some days, and the last one before them that says what it held. */
export async function listSamples(db: Executor, storeId: number, days: number): Promise<StoreSample[]> {
  const rows = await select<{ at: Date; bytes: number | null; copies: number | null; sent: number }>(
    db,
    `(SELECT at, bytes, copies, sent FROM store_history
      WHERE store_id = ? AND at < NOW() - INTERVAL ? DAY AND bytes IS NOT NULL ORDER BY at DESC LIMIT 1)
     UNION ALL
     (SELECT at, bytes, copies, sent FROM store_history
      WHERE store_id = ? AND at >= NOW() - INTERVAL ? DAY ORDER BY at LIMIT 200000)
     ORDER BY at`,
    [storeId, days, storeId, days],
  );
  return rows.map(({ at, ...rest }) => ({ atMs: at.getTime(), ...rest }));
}

/** Keeps five minutes for some days, then one sample of each day for a year and a little. */
export async function thinHistory(db: Database, { days }: { days: number }): Promise<void> {
  const old = await select<{
    store_id: number;
    day: string;
    last: Date;
    sent: number | string;
    samples: number;
  }>(
    db,
    `SELECT store_id, DATE_FORMAT(at, '%Y-%m-%d') AS day, COALESCE(MAX(IF(bytes IS NULL, NULL, at)), MAX(at)) AS last, SUM(sent) AS sent, COUNT(*) AS samples
     FROM store_history WHERE at < DATE(NOW() - INTERVAL ? DAY)
     GROUP BY store_id, day HAVING samples > 1 LIMIT 500`,
    [days],
  );
  for (const { store_id, day, last, sent } of old)
    await inTransaction(db, async (tx) => {
      await change(
        tx,
        'DELETE FROM store_history WHERE store_id = ? AND at >= ? AND at < ? + INTERVAL 1 DAY AND at <> ?',
        [store_id, day, day, last],
      );
      await change(tx, 'UPDATE store_history SET sent = ? WHERE store_id = ? AND at = ?', [
        Number(sent),
        store_id,
        last,
      ]);
    });
  await change(db, 'DELETE FROM store_history WHERE at < NOW() - INTERVAL 400 DAY');
}

export async function deleteHistory(tx: Transaction, storeId: number): Promise<void> {
  await change(tx, 'DELETE FROM store_history WHERE store_id = ?', [storeId]);
}
