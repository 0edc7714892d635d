import { change, type Executor, selectOne, type Transaction } from '../shared/database.js';

/** The number of the last event that was followed; locked until the transaction ends. */
export async function lockCursor(tx: Transaction): Promise<number> {
  const row = await selectOne<{ seq: number }>(tx, 'SELECT seq FROM copy_cursor WHERE one = 1 FOR UPDATE');
  return row?.seq ?? 0;
}

export async function updateCursor(db: Executor, seq: number): Promise<void> {
  await change(db, 'UPDATE copy_cursor SET seq = ? WHERE one = 1', [seq]);
}

/** When the home store was last audited. */
export async function findHomeAudited(db: Executor): Promise<Date | null> {
  const row = await selectOne<{ home_audited_at: Date | null }>(
    db,
    'SELECT home_audited_at FROM copy_cursor WHERE one = 1',
  );
  return row?.home_audited_at ?? null;
}

/** Since when an audit of the home store is due again: the last one, or the beginning. */
export async function findHomeAuditBegin(db: Executor): Promise<Date | null> {
  const row = await selectOne<{ since: Date }>(
    db,
    'SELECT COALESCE(home_audited_at, created_at) AS since FROM copy_cursor WHERE one = 1',
  );
  return row?.since ?? null;
}

export async function updateHomeAudited(db: Executor): Promise<void> {
  await change(db, 'UPDATE copy_cursor SET home_audited_at = NOW(3) WHERE one = 1');
}
