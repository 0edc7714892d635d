import type { OptimisePlan } from '@uniferum/core';
import { findAssets } from '../library/asset-queries.js';
import { listSelected, type Selection } from '../library/bulk.js';
import { addItems, beginRun, endIfEmpty, type WantedItem } from '../runs/ledger.js';
import { type Database, inTransaction } from '../shared/database.js';
import { OPTIMISABLE_MIMES } from './engine/optimise.js';
import type { OptimiseMode } from './optimise-queries.js';

const PAGE = 2000;
const SHOWN = 500;

/** Lists the files that can be made smaller. */
export async function rehearseOptimise(db: Database, selection: Selection): Promise<OptimisePlan> {
  const plan: OptimisePlan = { items: [], totals: { selected: 0, possible: 0, bytes: 0 } };
  for await (const { id, name, mime, bytes, isPossible } of subjects(db, selection)) {
    plan.totals.selected += 1;
    if (!isPossible) continue;
    plan.totals.possible += 1;
    plan.totals.bytes += bytes;
    if (plan.items.length < SHOWN) plan.items.push({ asset: String(id), name, mime, bytes });
  }
  return plan;
}

/** Begins to make files smaller. @returns the run's id */
export async function beginOptimise(
  db: Database,
  selection: Selection,
  mode: OptimiseMode,
  by: string,
): Promise<string> {
  const items: WantedItem<'optimise'>[] = [];
  for await (const { id, name, isPossible } of subjects(db, selection))
    if (isPossible) items.push({ key: `asset:${id}`, title: name, input: { asset: String(id), ...mode } });
  return inTransaction(db, async (tx) => {
    const title = `Optimising ${items.length.toLocaleString('en-GB')} ${items.length === 1 ? 'original' : 'originals'}`;
    const run = await beginRun(tx, { kind: 'optimise', title, by });
    await addItems<'optimise'>(tx, run, items);
    await endIfEmpty(tx, run);
    return run;
  });
}

async function* subjects(db: Database, selection: Selection) {
  const ids = await listSelected(db, selection);
  for (let at = 0; at < ids.length; at += PAGE)
    for (const { id, name, mime, bytes, live } of await findAssets(db, ids.slice(at, at + PAGE).map(Number)))
      if (live !== null) yield { id, name, mime, bytes, isPossible: OPTIMISABLE_MIMES.includes(mime) };
}
