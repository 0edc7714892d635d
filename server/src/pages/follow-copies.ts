import { randomUUID } from 'node:crypto';
import { type AddressPair, baseOf, resolveAddress } from '@uniferum/core/pages';
import { type CopyListener, type ObjectHolder, objectPlace } from '../library/joints.js';
import type { ItemContext } from '../runs/handler.js';
import { addToOpenRun } from '../runs/ledger.js';
import { defineRun } from '../runs/run-kind.js';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';
import { type Change, changeDocuments } from './change-documents.js';
import {
  deleteQueued,
  findUsedPlaces,
  listAddressesIn,
  listAddressesOf,
  lockQueued,
  queueToFollow,
  readStamps,
  updateQueued,
} from './follow-queries.js';
import type { IndexTools } from './opened-source.js';
import { planDocuments } from './plan-documents.js';
import { isWritable } from './source.js';
import { listSources } from './source-queries.js';
import { WantedAddresses } from './wanted-addresses.js';

/** Gives documents the addresses that their files have now: those of a store, or the media addresses again. */
export const followRun = defineRun<{ source: string; paths: string[] }>({
  kind: 'page-follow',
  label: 'Update addresses on pages',
});

const ASSETS_AT_A_TIME = 50;
const REFERENCES_AT_A_TIME = 500;
const DOCUMENTS_PER_ITEM = 40;

/** Whatever happens to the copies of an asset, the pages that show it are looked at. */
export const followListener: CopyListener = {
  placed: (tx, assetIds) => queueToFollow(tx, assetIds),
};

/** No object is deleted that a page leads to. */
export const holdShown: ObjectHolder = async (db, objects) => {
  const places = new Map(objects.map((object) => [sha256Of(objectPlace(object)), objectPlace(object)]));
  const used = await findUsedPlaces(db, [...places.keys()]);
  return new Set([...used].map((hash) => places.get(hash) as string));
};

/** Queues the documents whose addresses are other ones by now. What is queued leaves the assets' queue with it. */
export async function followCopies(db: Database): Promise<void> {
  while (await inTransaction(db, followSome));
}

/** @returns whether there may be more */
async function followSome(tx: Transaction): Promise<boolean> {
  const queued = await lockQueued(tx, ASSETS_AT_A_TIME);
  if (queued.length === 0) return false;
  const writable = new Set((await listSources(tx)).filter(isWritable).map(({ id }) => id));
  const addresses = await WantedAddresses.read(
    tx,
    queued.map(({ asset_id }) => asset_id),
  );
  const documents = new Map<string, Set<string>>();
  const finished: number[] = [];
  let looked = 0;
  for (const asset of queued) {
    if (looked >= REFERENCES_AT_A_TIME) break;
    const rows = await listAddressesOf(tx, asset, REFERENCES_AT_A_TIME);
    looked += rows.length;
    for (const row of rows) {
      const source = String(row.source_id);
      if (!writable.has(source) || addresses.isRight(row)) continue;
      documents.set(source, (documents.get(source) ?? new Set()).add(row.path));
    }
    const last = rows.at(-1);
    if (last && rows.length === REFERENCES_AT_A_TIME)
      await updateQueued(tx, { asset_id: asset.asset_id, reference_id: last.id });
    else finished.push(asset.asset_id);
  }
  await deleteQueued(tx, finished);
  await queueDocuments(tx, documents);
  return true;
}

async function queueDocuments(
  tx: Transaction,
  documents: ReadonlyMap<string, ReadonlySet<string>>,
): Promise<void> {
  const items = [...documents].flatMap(([source, all]) => {
    const paths = [...all].sort();
    return Array.from({ length: Math.ceil(paths.length / DOCUMENTS_PER_ITEM) }, (_, n) => {
      const some = paths.slice(n * DOCUMENTS_PER_ITEM, (n + 1) * DOCUMENTS_PER_ITEM);
      const title = some.length === 1 ? (some[0] as string) : `${some.length} documents`;
      return { key: randomUUID(), title, input: { source, paths: some }, weight: some.length };
    });
  });
  if (items.length > 0)
    await addToOpenRun(tx, followRun, { title: 'Updating addresses on pages', by: 'Uniferum' }, items);
}

/**
 * Updates the addresses in documents. No edits are stored: the way back is the placement. Documents that a killed worker
 * has written are read again, because nobody has recorded yet what is in them.
 */
export function followHandler(tools: IndexTools) {
  return followRun.bind({
    work: ({ source, paths }, { runId }: ItemContext) =>
      changeDocuments(tools, { source, paths, runId, state: 'written' }, async function* (opened) {
        const site = opened.siteUrl ?? `${tools.config.publicUrl}/`;
        const pairs = await listPairs(tools, { source, paths, site });
        const stamps = await readStamps(tools.db, source, paths);
        const plan = { rules: { pairs }, isShown: false, run: null };
        for await (const some of planDocuments(tools, { source, opened, paths }, plan))
          yield some.flatMap(({ path, planned, document }): Change[] => {
            if ('fault' in planned) return [];
            if (planned.edits.length === 0 && document.stamp === stamps.get(path)) return [];
            const { edits, before, after, read } = planned;
            return [{ path, edits, before, after, read }];
          });
      }),
  });
}

/** Each address that documents have, with the one that they should have. */
async function listPairs(
  { db, config }: IndexTools,
  { source, paths, site }: { source: string; paths: readonly string[]; site: string },
): Promise<AddressPair[]> {
  const rows = await listAddressesIn(db, source, paths);
  const addresses = await WantedAddresses.read(db, [...new Set(rows.map(({ asset_id }) => asset_id))]);
  const pairs = new Map<string, string>();
  for (const row of rows) {
    const to = addresses.instead(row, config.mediaUrl);
    if (to !== null) pairs.set(resolveAddress(row.address, baseOf(row.base, row.url) ?? site), to);
  }
  return [...pairs].map(([from, to]) => ({ from, to }));
}
