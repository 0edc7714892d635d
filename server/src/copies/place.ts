import { type PlannedStore, planAdding, planDropping } from '@uniferum/core/copies';
import { listPrivateAssets } from '../library/access-queries.js';
import { listAssetsWithin } from '../library/within-queries.js';
import type { BoundRun, ItemContext, ItemResult, RecordedEnd } from '../runs/handler.js';
import { addItems, type WantedItem } from '../runs/ledger.js';
import { defineRun } from '../runs/run-kind.js';
import { type Executor, inTransaction, type Transaction } from '../shared/database.js';
import { findCopiesOf, findDiscardedOf } from './copy-queries.js';
import { fetchHome, leaveHome, leaveHomeByPlacement } from './leave-home.js';
import { placementsIn } from './placements.js';
import type { ReadCopies } from './read-copies.js';
import { type Job, recordPlan } from './record-plan.js';
import { listStores } from './store-queries.js';
import { type CopyTools, deleteObjects, storeCopies } from './upload.js';

/** An asset, or a folder whose assets are still to be listed, after an id; null for those that are private by themselves. */
type PlacedPart = { asset: string } | { within: string | null; after: number };

/** Brings the copies of assets in line with the placements of their folders. */
export const placeCopiesRun = defineRun<PlacedPart>({ kind: 'place-copies', label: 'Place copies' });
/** Adds or drops copies in one store. */
export const changeCopiesRun = defineRun<{
  asset: string;
  /** 0 for the home store. */
  store: number;
  action: 'add' | 'drop' | 'fetch';
}>({
  kind: 'change-copies',
  label: 'Add or drop copies',
});

/** A large file takes hours on a slow line. The client notices when nothing moves any more. */
const MAX_MS = 24 * 3_600_000;

export function copyHandlers(tools: CopyTools): BoundRun[] {
  return [
    placeCopiesRun.bind({
      maxMs: MAX_MS,
      work: async (part, context) =>
        'asset' in part
          ? carryOut(tools, part.asset, context, {
              plan: async (db, asset) => planAdding(asset, await storesFor(db, tools, asset)),
              afterwards: async () => describeLeft(await leaveHomeByPlacement(tools, Number(part.asset))),
            })
          : { outcome: 'done', record: (tx) => addAssetsWithin(tx, context.runId, part) },
    }),
    changeCopiesRun.bind({
      maxMs: MAX_MS,
      work: async ({ asset: id, store, action }, context) => {
        if (action === 'fetch') return fetchItem(tools, Number(id));
        if (store === 0) return leaveItem(tools, Number(id));
        return carryOut(tools, id, context, {
          store,
          dropsStale: action === 'drop',
          plan: async (db, asset) => {
            const [named] = await namedStores(db, tools, [store]);
            if (!named) return { add: [], drop: [], stale: [], refused: [] };
            return action === 'add' ? planAdding(asset, [named]) : planDropping(asset, named.name);
          },
        });
      },
    }),
  ];
}

function leaveItem(tools: CopyTools, id: number): ItemResult {
  const result: ItemResult = {
    outcome: 'done',
    persist: async () => {
      const left = await leaveHome(tools, id);
      const reasons = describeRefusals(left.stayed);
      result.note = [describeLeft(left), ...reasons].filter(Boolean).join('; ');
      if (left.files === 0) result.outcome = 'skipped';
    },
  };
  return result;
}

function describeLeft({ files }: { files: number }): string | null {
  return files === 0 ? null : `${files} deleted from the home store`;
}

function fetchItem(tools: CopyTools, id: number): ItemResult {
  const result: ItemResult = {
    outcome: 'done',
    persist: async () => {
      const { fetched, refused } = await fetchHome(tools, id);
      if (refused > 0)
        Object.assign(result, {
          outcome: 'failed',
          error: `${refused} ${refused === 1 ? 'file has' : 'files have'} no good copy in any store.`,
        });
      else if (fetched === 0) result.outcome = 'skipped';
      result.note = fetched === 0 ? 'Everything was here.' : `${fetched} brought back`;
    },
  };
  return result;
}

const LISTED_AT_A_TIME = 1000;

/** An item that lists the assets of a folder and adds an item for each of them. It counts for nothing itself. */
export function searchItem(within: string | null, after: number): WantedItem<PlacedPart> {
  const title = within === null ? 'Private files' : `Files in ${within}`;
  return { key: `after:${within ?? ''}:${after}`, title, input: { within, after }, weight: 0 };
}

async function addAssetsWithin(
  tx: Transaction,
  run: string,
  { within, after }: { within: string | null; after: number },
): Promise<RecordedEnd> {
  const page = { after, limit: LISTED_AT_A_TIME };
  const assets =
    within === null ? await listPrivateAssets(tx, page) : await listAssetsWithin(tx, within, page);
  const items: WantedItem<PlacedPart>[] = assets.map(({ id, name }) => ({
    key: `asset:${id}`,
    title: name,
    input: { asset: String(id) },
  }));
  const last = assets.at(-1);
  if (last && assets.length === LISTED_AT_A_TIME) items.push(searchItem(within, last.id));
  await addItems(tx, run, placeCopiesRun, items);
  return { done: 0, failed: 0, skipped: 0 };
}

/** The stores that the placement of an asset's folder names. */
async function storesFor(
  db: Executor,
  tools: Pick<CopyTools, 'buckets'>,
  { row }: Pick<ReadCopies, 'row'>,
): Promise<PlannedStore[]> {
  const { stores } = await placementsIn(db, row.folder_path);
  return namedStores(db, tools, stores);
}

/** Stores as plans need them; those that are gone are left out. */
export async function namedStores(
  db: Executor,
  { buckets }: Pick<CopyTools, 'buckets'>,
  ids: readonly number[],
): Promise<PlannedStore[]> {
  const known = new Set((await listStores(db)).map(({ id }) => id));
  return Promise.all(
    ids
      .filter((id) => known.has(id))
      .map(async (id) => {
        const { store, isPublic } = await buckets.open(db, id);
        return { name: store.name, isPublic };
      }),
  );
}

/**
 * Plans the copies of an asset and records the plan; then stores what is wanted and deletes what is not, while the next
 * asset is planned. The plan is recorded first, so that whatever ends this process, the records say what may be in a
 * store.
 */
export async function carryOut(
  tools: CopyTools,
  id: string,
  { signal }: ItemContext,
  job: Job,
): Promise<ItemResult> {
  const { store, afterwards } = job;
  const planned = await inTransaction(tools.db, (tx) => recordPlan(tx, tools, id, job));
  if (planned === null) return { outcome: 'skipped', note: 'It has no files of its own, or was deleted.' };
  const reasons = new Map<string, number>();
  for (const { reason } of planned.refused) reasons.set(reason, (reasons.get(reason) ?? 0) + 1);
  const isHere = ({ store_id }: { store_id: number }) => store === undefined || store_id === store;
  const result: ItemResult = {
    outcome: 'done',
    persist: async () => {
      const wanted = (await findCopiesOf(tools.db, [Number(id)])).filter(
        (copy) => isHere(copy) && (copy.state === 'wanted' || copy.state === 'uploading'),
      );
      const refused = await storeCopies(tools, wanted, signal);
      const discarded = (await findDiscardedOf(tools.db, [Number(id)])).filter(isHere);
      const left = await deleteObjects(tools, discarded, signal);
      const first = [...refused, ...left].find(({ reason }) => reason !== null);
      if (first) Object.assign(result, { outcome: 'failed', error: first.reason });
      else if (wanted.length + discarded.length === 0) result.outcome = 'skipped';
      const held = left.filter(({ reason }) => reason === null).length;
      if (held > 0) reasons.set('shown', held);
      const counts = { stored: wanted.length - refused.length, deleted: discarded.length - left.length };
      const more = first ? null : ((await afterwards?.()) ?? null);
      if (more !== null) result.outcome = 'done';
      result.note = [describe(counts, reasons), more].filter(Boolean).join('; ');
    },
  };
  return result;
}

const REFUSALS: Record<string, string> = {
  private: "private files aren't copied to a store that anybody can read",
  'last-copy': 'it is the last good copy',
  'no-good-copy': 'there is no good copy to copy from',
  absent: 'there was no copy',
  held: 'other files with the same bytes are kept in the home store',
  changed: 'it changed in the meantime',
  shown: "pages still lead to it; it is deleted once they don't",
};

/** Says why files were left out. */
export function describeRefusals(notes: ReadonlyMap<string, number>): string[] {
  return [...notes].map(([reason, files]) => `${files} left: ${REFUSALS[reason] ?? reason}`);
}

function describe(
  { stored, deleted }: { stored: number; deleted: number },
  reasons: ReadonlyMap<string, number>,
): string {
  const done = [
    ...(stored > 0 ? [`${stored} stored`] : []),
    ...(deleted > 0 ? [`${deleted} deleted`] : []),
    ...describeRefusals(reasons),
  ];
  return done.length === 0 ? 'Everything is in place.' : done.join('; ').slice(0, 2000);
}
