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
  const ids = [0, ...(await listStores(db)).map(({ id }) => id)];
  const held = await readHeld(db, home);
  await insertSamples(
    db,
    ids.map((storeId) => ({ storeId, ...held(storeId) })),
  );
}

/** The history of a store over some days, up to now. */
export async function readHistory(
  db: Executor,
  storeId: number,
  { days, home }: { days: HistoryDays; home: string },
): Promise<StoreHistoryAnswer> {
  const nowMs = Date.now();
  const now = { atMs: nowMs, sent: 0, ...(await readHeld(db, home))(storeId) };
  return sumUpHistory([...(await listSamples(db, storeId, days)), now], { days, nowMs });
}

async function readHeld(
  db: Executor,
  home: string,
): Promise<(storeId: number) => { bytes: number; copies: number }> {
  const counters = await readCounters(db);
  return (storeId) => {
    const [scope, name] = storeId === 0 ? ['store', home] : [copiesScope(storeId), 'stored'];
    const found = counters.find((one) => one.scope === scope && one.name === name);
    return { bytes: found?.bytes ?? 0, copies: found?.items ?? 0 };
  };
}

/** Keeps the history small. */
export function sweepHistory(db: Database): Promise<void> {
  return thinHistory(db, { days: DETAILED_DAYS });
}
