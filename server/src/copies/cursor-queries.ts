import { change, type Executor, selectOne, type Transaction } from '../shared/database.js';

/** The number of the last event that was followed; locked until the transaction ends. */
export async function lockCursor(tx: Transaction): Promise<number> {
  const row = await selectOne<{ seq: number }>(tx, 'SELECT seq FROM copy_cursor WHERE one = 1 FOR UPDATE');
  return row?.seq ?? 0;
}

export async function updateCursor(db: Executor, seq: number): Promise<void> {
  await change(db, 'UPDATE copy_cursor SET seq = ? WHERE one = 1', [seq]);
}
