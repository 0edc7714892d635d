import { addToCounters, type CounterChange } from '../shared/counters.js';
import type { Transaction } from '../shared/database.js';
import { deleteRenditions, type RenditionRow, updateRenditions } from './queries.js';

/** A row before and after; null before for a new one. */
export interface Change {
  before: RenditionRow | null;
  after: RenditionRow;
}

/** Whether the renditions' assets are live: only those are counted. */
export interface Liveness {
  live: number | null;
}

/** Writes renditions of a locked asset, and counts them. */
export async function putRenditions(
  tx: Transaction,
  changed: readonly Change[],
  { live }: Liveness,
): Promise<void> {
  await updateRenditions(
    tx,
    changed.map(({ after }) => after),
  );
  if (live === null) return;
  await addToCounters(
    tx,
    changed.flatMap(({ before, after }) => [...(before ? [counted(before, -1)] : []), counted(after, 1)]),
  );
}

/** Deletes renditions of a locked asset, and removes them from the counters. */
export async function dropRenditions(
  tx: Transaction,
  rows: readonly RenditionRow[],
  { live }: Liveness,
): Promise<void> {
  await deleteRenditions(tx, rows);
  if (live === null) return;
  await addToCounters(
    tx,
    rows.map((row) => counted(row, -1)),
  );
}

/** Main files count as renditions; the bytes of all sizes and formats are included. */
export function counted({ recipe, variant, state, bytes }: RenditionRow, sign: 1 | -1): CounterChange {
  return {
    scope: `recipe:${recipe}`,
    name: state,
    items: variant === '' ? sign : 0,
    bytes: sign * (bytes ?? 0),
  };
}
