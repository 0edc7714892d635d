import { change, type Executor, select } from '../shared/database.js';

/** What is counted: assets by kind, verdicts by outcome, accepted files by way in, copies by store, renditions by recipe and state. */
export type TallyScope = 'kind' | 'verdict' | 'via' | 'store' | `recipe:${string}`;

export interface Tally {
  scope: string;
  name: string;
  items: number;
  bytes: number;
}

/** Changes a kept count by so many items and bytes, in the transaction that changes what is counted. */
export async function addToTally(
  tx: Executor,
  scope: TallyScope,
  name: string,
  amount: { items: number; bytes: number },
): Promise<void> {
  await change(
    tx,
    `INSERT INTO tallies (scope, name, items, bytes) VALUES (?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE items = items + VALUES(items), bytes = bytes + VALUES(bytes)`,
    [scope, name, amount.items, amount.bytes],
  );
}

/** Reads all kept counts; there are a few dozen. */
export async function readTallies(db: Executor): Promise<Tally[]> {
  const rows = await select<Tally>(
    db,
    'SELECT scope, name, items, bytes FROM tallies ORDER BY scope, name LIMIT 10000',
  );
  return rows.map((row) => ({ ...row, items: Number(row.items), bytes: Number(row.bytes) }));
}

/** Replaces all counts of a scope with ones that were counted afresh. */
export async function replaceTallies(
  tx: Executor,
  scope: TallyScope,
  counts: readonly { name: string; items: number; bytes: number }[],
): Promise<void> {
  await change(tx, 'DELETE FROM tallies WHERE scope = ?', [scope]);
  for (const { name, items, bytes } of counts) await addToTally(tx, scope, name, { items, bytes });
}
