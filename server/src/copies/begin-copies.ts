import { type AssetCopyPlan, type CopyPlanAnswer, planAdding, planDropping } from '@uniferum/core/copies';
import { findAssets } from '../library/asset-queries.js';
import { listSelected, type Selection } from '../library/bulk.js';
import type { Joints } from '../library/joints.js';
import { addItems, beginRun, endIfEmpty } from '../runs/ledger.js';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { changeCopiesRun, describeRefusals, namedStores, placeCopiesRun, searchItem } from './place.js';
import { type AssetFile, type ReadCopies, readCopies } from './read-copies.js';
import { listStores, type PlacedStore } from './store-queries.js';
import type { CopyTools } from './upload.js';

/** A wish for the copies of a selection in one store. */
export interface CopyWish {
  select: Selection;
  /** The store's name. */
  store: string;
  action: 'add' | 'drop';
}

type Tools = CopyTools & { joints: Joints };

/** Rehearsals list this many assets; their totals count all. */
const SHOWN = 200;
const PLANNED_AT_A_TIME = 500;

/** Starts the run that brings a folder and those below it in line with their placements. @returns its id */
export async function beginPlacing(tx: Transaction, path: string, by: string): Promise<string> {
  const run = await beginRun(tx, placeCopiesRun, { title: `Placing copies of ${path}`, folder: path, by });
  await addItems(tx, run, placeCopiesRun, [searchItem(path, 0)]);
  return run;
}

/** Starts the run that adds or drops copies. @returns its id @throws UniferumError `not-found` */
export async function beginCopies(tools: Tools, wish: CopyWish, by: string): Promise<string> {
  const store = await requireStore(tools.db, wish.store);
  const subjects = await listSelected(tools, wish.select);
  const files = subjects.length === 1 ? '1 file' : `${subjects.length.toLocaleString('en-GB')} files`;
  const title =
    wish.action === 'add'
      ? `Copying ${files} to ${store.name}`
      : `Dropping copies of ${files} from ${store.name}`;
  return inTransaction(tools.db, async (tx) => {
    const run = await beginRun(tx, changeCopiesRun, { title, by });
    const names = await findNames(tx, subjects);
    await addItems(
      tx,
      run,
      changeCopiesRun,
      subjects.map((asset) => ({
        key: `asset:${asset}`,
        title: names.get(asset) ?? asset,
        input: { asset, store: store.id, action: wish.action },
      })),
    );
    await endIfEmpty(tx, run);
    return run;
  });
}

/** The names of assets, for the items of a run. */
async function findNames(tx: Transaction, ids: readonly string[]): Promise<Map<string, string>> {
  const names = new Map<string, string>();
  for (let at = 0; at < ids.length; at += PLANNED_AT_A_TIME)
    for (const { id, name } of await findAssets(tx, ids.slice(at, at + PLANNED_AT_A_TIME).map(Number)))
      names.set(String(id), name);
  return names;
}

/** Lists what such a run would do, with the same planner; changes nothing. */
export async function rehearseCopies(tools: Tools, wish: CopyWish): Promise<CopyPlanAnswer> {
  const store = await requireStore(tools.db, wish.store);
  const named = await namedStores(tools.db, tools, [store.id]);
  const plan = (asset: ReadCopies) =>
    wish.action === 'add' ? planAdding(asset, named) : planDropping(asset, store.name);
  const ids = (await listSelected(tools, wish.select)).map(Number);
  const answer: CopyPlanAnswer = { items: [], totals: { assets: 0, files: 0, bytes: 0, refused: 0 } };
  for (let at = 0; at < ids.length; at += PLANNED_AT_A_TIME)
    for (const asset of await readCopies(tools.db, tools.store.name, ids.slice(at, at + PLANNED_AT_A_TIME)))
      addToPlan(answer, asset, plan(asset));
  return answer;
}

function addToPlan(answer: CopyPlanAnswer, asset: ReadCopies, plan: AssetCopyPlan<AssetFile>): void {
  const dropped = new Set(plan.drop);
  const sizes = [
    ...plan.add.map(({ file }) => file.bytes),
    ...asset.rows.filter(({ id }) => dropped.has(id)).map(({ bytes }) => bytes),
  ];
  const bytes = sizes.reduce((sum, size) => sum + size, 0);
  if (sizes.length === 0 && plan.refused.length === 0) return;
  answer.totals.assets += sizes.length > 0 ? 1 : 0;
  answer.totals.files += sizes.length;
  answer.totals.bytes += bytes;
  answer.totals.refused += plan.refused.length;
  if (answer.items.length >= SHOWN) return;
  const reasons = new Map<string, number>();
  for (const { reason } of plan.refused) reasons.set(reason, (reasons.get(reason) ?? 0) + 1);
  answer.items.push({
    ...{ asset: String(asset.row.id), name: asset.row.name, folder: asset.row.folder_path },
    ...{ files: sizes.length, bytes },
    note: reasons.size === 0 ? null : describeRefusals(reasons).join('; '),
  });
}

async function requireStore(db: Database, name: string): Promise<PlacedStore> {
  const store = (await listStores(db)).find((one) => one.name === name);
  if (!store) throw notFound(`The store "${name}"`);
  return store;
}
