import { addToCounters, type CounterChange } from '../shared/counters.js';
import type { Transaction } from '../shared/database.js';
import { deleteRenditions, type RenditionRow, updateRenditions } from './queries.js';

/** A row before and after; null before for one that is new. */
export interface Change {
  before: RenditionRow | null;
  after: RenditionRow;
}

/** Whether the assets of renditions are live: only those of live ones are counted. */
export interface Liveness {
  live: number | null;
}

/** Writes renditions of an asset that is held, and counts them. */
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

/** Removes renditions of an asset that is held, and takes them out of the counts. */
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

/** Main files count as renditions; the bytes of all their sizes and formats count with them. */
export function counted({ recipe, variant, state, bytes }: RenditionRow, sign: 1 | -1): CounterChange {
  return {
    scope: `recipe:${recipe}`,
    name: state,
    items: variant === '' ? sign : 0,
    bytes: sign * (bytes ?? 0),
  };
}
