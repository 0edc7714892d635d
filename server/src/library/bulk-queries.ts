import {
  changeExpanded,
  type Executor,
  select,
  selectOne,
  type Transaction,
  writeJson,
} from '../shared/database.js';

/** What a bulk job changed about one asset. */
export interface RememberedChange {
  assetId: number;
  before: object;
  after: object;
}

/** Stores what a run changed, so that it can be undone. */
export async function insertChanges(
  tx: Transaction,
  runId: string,
  changes: readonly RememberedChange[],
): Promise<void> {
  if (changes.length === 0) return;
  await changeExpanded(
    tx,
    'INSERT IGNORE INTO bulk_changes (run_id, asset_id, before_values, after_values) VALUES ?',
    [changes.map(({ assetId, before, after }) => [runId, assetId, writeJson(before), writeJson(after)])],
  );
}

interface ChangeValues {
  before: Record<string, unknown>;
  after: Record<string, unknown>;
}

/** Locks the record of what a run changed about an asset; null when it has been undone. */
export function lockChange(tx: Transaction, runId: string, assetId: number): Promise<ChangeValues | null> {
  return findChange(tx, runId, assetId, { lock: true });
}

/** Finds what a run changed about an asset; null when it has been undone. */
export async function findChange(
  db: Executor,
  runId: string,
  assetId: number,
  { lock = false } = {},
): Promise<ChangeValues | null> {
  const row = await selectOne<{ before_values: string; after_values: string }>(
    db,
    `SELECT before_values, after_values FROM bulk_changes
     WHERE run_id = ? AND asset_id = ? AND undone = 0 ${lock ? 'FOR UPDATE' : ''}`,
    [runId, assetId],
  );
  return row && { before: JSON.parse(row.before_values), after: JSON.parse(row.after_values) };
}

/** Records that a change was undone. */
export async function markUndone(tx: Transaction, runId: string, assetId: number): Promise<void> {
  await changeExpanded(tx, 'UPDATE bulk_changes SET undone = 1 WHERE run_id = ? AND asset_id = ?', [
    runId,
    assetId,
  ]);
}

/** Lists the assets whose changes by a run have not been undone. */
export async function listChanged(db: Executor, runId: string): Promise<string[]> {
  const rows = await select<{ asset_id: number }>(
    db,
    'SELECT asset_id FROM bulk_changes WHERE run_id = ? AND undone = 0 ORDER BY asset_id LIMIT 10000000',
    [runId],
  );
  return rows.map(({ asset_id }) => String(asset_id));
}
