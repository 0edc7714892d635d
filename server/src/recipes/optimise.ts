import type { OptimisePlan } from '@uniferum/core/recipes';
import { findAssets } from '../library/asset-queries.js';
import { listSelected, type Selection } from '../library/bulk.js';
import { addItems, beginRun, endIfEmpty, type WantedItem } from '../runs/ledger.js';
import { inTransaction } from '../shared/database.js';
import { OPTIMISABLE_MIMES } from './engine/optimise.js';
import type { OptimiseMode } from './optimise-queries.js';
import { type OptimiseInput, optimiseRun } from './run-kinds.js';
import type { RecipeTools } from './tools.js';

const PAGE = 2000;
const SHOWN = 500;

/** Lists the files that can be optimised. */
export async function rehearseOptimise(tools: RecipeTools, selection: Selection): Promise<OptimisePlan> {
  const plan: OptimisePlan = { items: [], totals: { selected: 0, possible: 0, bytes: 0 } };
  for await (const { id, name, mime, bytes, isPossible } of subjects(tools, selection)) {
    plan.totals.selected += 1;
    if (!isPossible) continue;
    plan.totals.possible += 1;
    plan.totals.bytes += bytes;
    if (plan.items.length < SHOWN) plan.items.push({ asset: String(id), name, mime, bytes });
  }
  return plan;
}

/** Starts optimising files. @returns the run's id */
export async function beginOptimise(
  tools: RecipeTools,
  selection: Selection,
  mode: OptimiseMode,
  by: string,
): Promise<string> {
  const items: WantedItem<OptimiseInput>[] = [];
  for await (const { id, name, isPossible } of subjects(tools, selection))
    if (isPossible) items.push({ key: `asset:${id}`, title: name, input: { asset: String(id), ...mode } });
  return inTransaction(tools.db, async (tx) => {
    const title = `Optimising ${items.length.toLocaleString('en-GB')} ${items.length === 1 ? 'original' : 'originals'}`;
    const run = await beginRun(tx, optimiseRun, { title, by });
    await addItems(tx, run, optimiseRun, items);
    await endIfEmpty(tx, run);
    return run;
  });
}

async function* subjects(tools: RecipeTools, selection: Selection) {
  const ids = await listSelected(tools, selection);
  for (let at = 0; at < ids.length; at += PAGE)
    for (const { id, name, mime, bytes, live } of await findAssets(
      tools.db,
      ids.slice(at, at + PAGE).map(Number),
    ))
      if (live !== null) yield { id, name, mime, bytes, isPossible: OPTIMISABLE_MIMES.includes(mime) };
}
