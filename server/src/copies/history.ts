import { type HistoryDays, type StoreHistoryAnswer, sumUpHistory } from '@uniferum/core/copies';
import { readCounters } from '../shared/counters.js';
import type { Database, Executor } from '../shared/database.js';
import { copiesScope } from './copy-queries.js';
import { insertSamples, listSamples, thinHistory } from './history-queries.js';
import { listStores } from './store-queries.js';

/** Older than this, one sample of each day is kept. */
const DETAILED_DAYS = 16;

/** Records what each store holds now; the home store has the number 0. */
export async function sampleStores(db: Executor, home: string): Promise<void> {
  const counters = await readCounters(db);
  const held = (scope: string, name: string) =>
    counters.find((one) => one.scope === scope && one.name === name) ?? { items: 0, bytes: 0 };
  const sampleOf = (storeId: number, { items, bytes }: { items: number; bytes: number }) => ({
    ...{ storeId, bytes, copies: items },
  });
  await insertSamples(db, [
    sampleOf(0, held('store', home)),
    ...(await listStores(db)).map(({ id }) => sampleOf(id, held(copiesScope(id), 'stored'))),
  ]);
}

/** The history of a store over some days, up to now. */
export async function readHistory(
  db: Executor,
  storeId: number,
  days: HistoryDays,
): Promise<StoreHistoryAnswer> {
  return sumUpHistory(await listSamples(db, storeId, days), { days, nowMs: Date.now() });
}

/** Keeps the history small. */
export function sweepHistory(db: Database): Promise<void> {
  return thinHistory(db, { days: DETAILED_DAYS });
}
