import {
  type CopyPlanAnswer,
  type HomePlan,
  planAdding,
  planDropping,
  planFetching,
  planLeavingHome,
} from '@uniferum/core/copies';
import { findVisibilities } from '../library/access-queries.js';
import { findAssets } from '../library/asset-queries.js';
import { listSelected, type Selection } from '../library/bulk.js';
import type { Joints } from '../library/joints.js';
import { addItems, beginRun, endIfEmpty } from '../runs/ledger.js';
import { inTransaction, type Transaction } from '../shared/database.js';
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
  /** `fetch` brings files back to the home store, from whichever store has them. */
  action: 'add' | 'drop' | 'fetch';
}

type Tools = CopyTools & { joints: Joints };

/** Rehearsals list this many assets; their totals count all. */
const SHOWN = 200;
const PLANNED_AT_A_TIME = 500;

/** Starts the run that brings a folder and those below it in line with their placements. @returns its id */
export async function beginPlacing(tx: Transaction, path: string, by: string): Promise<string> {
  const run = await beginRun(tx, placeCopiesRun, { title: 'Copies', folder: path, by });
  await addItems(tx, run, placeCopiesRun, [searchItem(path, 0)]);
  return run;
}

/** Starts the run that looks at all private files, after a store has become one that anybody can read. @returns its id */
export async function beginPlacingPrivate(tx: Transaction, by: string): Promise<string> {
  const folders = [...(await findVisibilities(tx))].filter(([, visibility]) => visibility === 'private');
  const run = await beginRun(tx, placeCopiesRun, { title: 'Copies of private files', by });
  const places = [null, ...folders.map(([path]) => path)];
  await addItems(
    tx,
    run,
    placeCopiesRun,
    places.map((place) => searchItem(place, 0)),
  );
  return run;
}

/** Starts the run that adds or drops copies. @returns its id @throws UniferumError `not-found` */
export async function beginCopies(tools: Tools, wish: CopyWish, by: string): Promise<string> {
  const store = await requireStore(tools, wish.store);
  const subjects = await listSelected(tools, wish.select);
  const files = subjects.length === 1 ? '1 file' : `${subjects.length.toLocaleString('en-GB')} files`;
  const action = actionOf(wish, store);
  const title = {
    add: `Copying ${files} to ${store.name}`,
    drop: `Dropping copies of ${files} from ${store.name}`,
    fetch: `Bringing ${files} back to ${tools.store.name}`,
  }[action];
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
        input: { asset, store: store.id, action },
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

/** Adding to the home store is bringing back. */
function actionOf({ action }: CopyWish, { id }: { id: number }): CopyWish['action'] {
  return id === 0 && action === 'add' ? 'fetch' : action;
}

/** Lists what such a run would do, with the same planner; changes nothing. */
export async function rehearseCopies(tools: Tools, wish: CopyWish): Promise<CopyPlanAnswer> {
  const store = await requireStore(tools, wish.store);
  const plan = await plannerFor(tools, wish, store);
  const ids = (await listSelected(tools, wish.select)).map(Number);
  const answer: CopyPlanAnswer = { items: [], totals: { assets: 0, files: 0, bytes: 0, refused: 0 } };
  for (let at = 0; at < ids.length; at += PLANNED_AT_A_TIME)
    for (const asset of await readCopies(tools.db, tools.store.name, ids.slice(at, at + PLANNED_AT_A_TIME)))
      addToPlan(answer, asset, plan(asset));
  return answer;
}

/** The sizes of what is done, and why the rest isn't. */
interface Planned {
  sizes: number[];
  refused: { reason: string }[];
}

/** The planner that the run itself uses. */
async function plannerFor(
  tools: Tools,
  wish: CopyWish,
  store: { id: number; name: string },
): Promise<(asset: ReadCopies) => Planned> {
  const action = actionOf(wish, store);
  const ofHome = (plan: HomePlan<AssetFile>) => ({
    sizes: [...new Map(plan.files.map(({ sha256, bytes }) => [sha256, bytes])).values()],
    refused: plan.refused,
  });
  if (action === 'fetch') return (asset) => ofHome(planFetching(asset));
  if (store.id === 0) return (asset) => ofHome(planLeavingHome(asset));
  const named = await namedStores(tools.db, tools, [store.id]);
  return (asset) => {
    const plan = action === 'add' ? planAdding(asset, named) : planDropping(asset, store.name);
    const dropped = new Set(plan.drop);
    const sizes = [
      ...plan.add.map(({ file }) => file.bytes),
      ...asset.rows.filter(({ id }) => dropped.has(id)).map(({ bytes }) => bytes),
    ];
    return { sizes, refused: plan.refused };
  };
}

function addToPlan(answer: CopyPlanAnswer, asset: ReadCopies, plan: Planned): void {
  const { sizes } = plan;
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

/** The home store has the number 0. @throws UniferumError `not-found` */
async function requireStore(
  { db, store: home }: Tools,
  name: string,
): Promise<Pick<PlacedStore, 'id' | 'name'>> {
  if (name === home.name) return { id: 0, name };
  const store = (await listStores(db)).find((one) => one.name === name);
  if (!store) throw notFound(`The store "${name}"`);
  return store;
}
