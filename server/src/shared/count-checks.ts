import { change, type Executor, select } from './database.js';

/** A stored counter that is off, and by how much to correct it. */
export interface Drift {
  /** What it counts: a folder, a kind, a store, a recipe's state, bytes, a batch. */
  what: string;
  items: number;
  bytes: number;
}

/** A group of stored counters: how incorrect ones are found and corrected. */
export interface CountCheck {
  name: string;
  /** Changes only when files arrive and takes long to recount: verified once a day. */
  isSlow?: boolean;
  find(tx: Executor): Promise<Drift[]>;
  repair(tx: Executor, drift: Drift): Promise<unknown>;
}

const MAX_DRIFTS = 5000;

/**
 * Finds stored counters that differ from the data. Both are read in one statement, which sees one snapshot of the
 * database. The correction stays valid whatever is counted meanwhile.
 */
export async function findDrifts(tx: Executor, actual: string, kept: string): Promise<Drift[]> {
  const rows = await select<{ what: string; items: number | string; bytes: number | string }>(
    tx,
    `SELECT what, SUM(items) AS items, SUM(bytes) AS bytes
     FROM (${actual} UNION ALL ${kept}) both_counts
     GROUP BY what
     HAVING SUM(items) <> 0 OR SUM(bytes) <> 0
     LIMIT ${MAX_DRIFTS}`,
  );
  return rows.map(({ what, items, bytes }) => ({ what, items: Number(items), bytes: Number(bytes) }));
}

/** Entries of `counters` in some scopes. `what` is scope and name. */
export function counterCheck(name: string, scopes: string, actual: string): CountCheck {
  return {
    name,
    find: (tx) =>
      findDrifts(tx, actual, `SELECT CONCAT(scope, ' ', name), -items, -bytes FROM counters WHERE ${scopes}`),
    repair: (tx, { what, items, bytes }) => {
      const at = what.indexOf(' ');
      return change(
        tx,
        `INSERT INTO counters (scope, name, items, bytes) VALUES (?, ?, ?, ?)
         ON DUPLICATE KEY UPDATE items = items + VALUES(items), bytes = bytes + VALUES(bytes)`,
        [what.slice(0, at), what.slice(at + 1), items, bytes],
      );
    },
  };
}
