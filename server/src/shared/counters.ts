import { change, changeExpanded, type Executor, select } from './database.js';

/**
 * What is counted: assets by kind, verdicts by outcome, accepted files by source, copies by store, renditions by
 * recipe and state.
 */
export type CounterScope = 'kind' | 'verdict' | 'from' | 'store' | `recipe:${string}` | `copies:${string}`;

export interface Counter {
  scope: string;
  name: string;
  items: number;
  bytes: number;
}

/** Changes a counter by a number of items and bytes, in the transaction that changes the data. */
export async function addToCounter(
  tx: Executor,
  scope: CounterScope,
  name: string,
  amount: { items: number; bytes: number },
): Promise<void> {
  await change(
    tx,
    `INSERT INTO counters (scope, name, items, bytes) VALUES (?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE items = items + VALUES(items), bytes = bytes + VALUES(bytes)`,
    [scope, name, amount.items, amount.bytes],
  );
}

/** One change of a counter. */
export interface CounterChange {
  scope: CounterScope;
  name: string;
  items: number;
  bytes: number;
}

/** Applies several changes in one statement; changes of the same counter are added up first. */
export async function addToCounters(tx: Executor, changes: readonly CounterChange[]): Promise<void> {
  const sums = new Map<string, CounterChange>();
  for (const { scope, name, items, bytes } of changes) {
    const key = `${scope} ${name}`;
    const sum = sums.get(key) ?? { scope, name, items: 0, bytes: 0 };
    sums.set(key, { scope, name, items: sum.items + items, bytes: sum.bytes + bytes });
  }
  // A fixed order prevents deadlocks.
  const rows = [...sums.entries()]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([, { scope, name, items, bytes }]) => [scope, name, items, bytes])
    .filter(([, , items, bytes]) => items !== 0 || bytes !== 0);
  if (rows.length === 0) return;
  await changeExpanded(
    tx,
    `INSERT INTO counters (scope, name, items, bytes) VALUES ?
     ON DUPLICATE KEY UPDATE items = items + VALUES(items), bytes = bytes + VALUES(bytes)`,
    [rows],
  );
}

/** Reads all counters; there are a few dozen. */
export async function readCounters(db: Executor): Promise<Counter[]> {
  const rows = await select<Counter>(
    db,
    'SELECT scope, name, items, bytes FROM counters ORDER BY scope, name LIMIT 10000',
  );
  return rows.map((row) => ({ ...row, items: Number(row.items), bytes: Number(row.bytes) }));
}

/** Replaces all counters of a scope with recounted ones. */
export async function replaceCounters(
  tx: Executor,
  scope: CounterScope,
  counts: readonly { name: string; items: number; bytes: number }[],
): Promise<void> {
  await change(tx, 'DELETE FROM counters WHERE scope = ?', [scope]);
  for (const { name, items, bytes } of counts) await addToCounter(tx, scope, name, { items, bytes });
}

/** The total of a scope's items, or of those with one name. */
export async function sumCounters(
  db: Executor,
  scope: CounterScope,
  name: string | null = null,
): Promise<number> {
  const [row] = await select<{ n: number | string | null }>(
    db,
    `SELECT SUM(items) AS n FROM counters WHERE scope = ?${name === null ? '' : ' AND name = ?'}`,
    name === null ? [scope] : [scope, name],
  );
  return Number(row?.n ?? 0);
}
