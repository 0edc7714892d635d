import { randomInt } from 'node:crypto';
import { type AssetCopyPlan, copyKey } from '@uniferum/core/copies';
import { lockAsset } from '../library/asset-queries.js';
import type { Executor, Transaction } from '../shared/database.js';
import { type CopyRow, discardCopies, insertWanted, updateCopies, updateStale } from './copy-queries.js';
import { isLast } from './last-copy.js';
import { type AssetFile, type ReadCopies, readCopies } from './read-copies.js';
import { listStores } from './store-queries.js';
import { announcePlaced, type CopyTools } from './upload.js';

/** What is to be done about the copies of assets. */
export interface Job {
  /** Limits the work to one store. */
  store?: number;
  plan(db: Executor, asset: ReadCopies): Promise<AssetCopyPlan<AssetFile>>;
  /** What follows once everything is stored. @returns what was done, for the note */
  afterwards?(): Promise<string | null>;
  /** Whether copies that the library no longer shows go as well. */
  dropsStale?: boolean;
}

/** Plans the copies of a locked asset and records the plan. @returns null when it has no files of its own, or is gone */
export async function recordPlan(
  tx: Transaction,
  tools: CopyTools,
  id: string,
  { plan, dropsStale = false, store }: Job,
): Promise<AssetCopyPlan<AssetFile> | null> {
  // Two plans for the same asset wait for each other, and so does a purge.
  if (!(await lockAsset(tx, id))) return null;
  const [asset] = await readCopies(tx, tools.store.name, [Number(id)], { lock: true });
  if (!asset) return null;
  const planned = await planVerified(tx, tools, asset, plan);
  const storeIds = new Map((await listStores(tx)).map((one) => [one.name, one.id]));
  const again = new Set(planned.add.flatMap(({ copy }) => (copy === null ? [] : [copy])));
  await updateCopies(
    tx,
    asset.rows.filter((row) => again.has(row.id)),
    { state: 'wanted' },
  );
  await insertWanted(
    tx,
    planned.add.flatMap(({ store, file, copy }) => {
      const storeId = storeIds.get(store);
      return copy !== null || storeId === undefined ? [] : [newCopy(asset, file, storeId)];
    }),
  );
  const dropped = new Set(planned.drop);
  const unneeded = dropsStale ? await findUnneeded(tx, tools, asset, planned, store) : [];
  await discardCopies(tx, [...asset.rows.filter((row) => dropped.has(row.id)), ...unneeded]);
  await updateStale(tx, [asset.row.id], planned.stale);
  await announcePlaced(tx, tools, [{ asset_id: asset.row.id }]);
  return planned;
}

/**
 * Plans, and looks into the home store before a copy elsewhere is dropped: a file that somebody deleted there is still
 * recorded, until an audit finds it missing.
 */
async function planVerified(
  tx: Transaction,
  { store }: CopyTools,
  asset: ReadCopies,
  plan: Job['plan'],
): Promise<AssetCopyPlan<AssetFile>> {
  const planned = await plan(tx, asset);
  const dropped = asset.rows.filter(({ id }) => planned.drop.includes(id));
  const holds = new Set(asset.home.holds);
  for (const { sha256, bytes } of dropped)
    if (holds.has(sha256) && (await store.measure(sha256)) !== bytes) holds.delete(sha256);
  if (holds.size === asset.home.holds.size) return planned;
  return plan(tx, { ...asset, home: { ...asset.home, holds } });
}

/** Copies in the store whose bytes neither this asset nor any other needs. */
async function findUnneeded(
  tx: Transaction,
  tools: CopyTools,
  asset: ReadCopies,
  { stale, drop }: AssetCopyPlan<AssetFile>,
  store: number | undefined,
): Promise<CopyRow[]> {
  const candidates = asset.rows.filter(
    ({ id, store_id }) => store_id === store && stale.includes(id) && !drop.includes(id),
  );
  const unneeded: CopyRow[] = [];
  for (const row of candidates) if (!(await isLast(tx, tools.store, row))) unneeded.push(row);
  return unneeded;
}

function newCopy({ row }: ReadCopies, file: AssetFile, storeId: number) {
  const { recipe, variant, sha256, bytes, mime, name } = file;
  const mark = `${row.id.toString(36)}${randomMark()}`;
  return {
    ...{ asset_id: row.id, store_id: storeId, recipe: recipe ?? '', variant, sha256, bytes, mime },
    store_key: copyKey({ folder: row.folder_path, name, mark, sha256 }),
  };
}

const MARK_DIGITS = 6;

/** Makes a key unlike every other, and hard to guess. */
function randomMark(): string {
  return randomInt(36 ** MARK_DIGITS)
    .toString(36)
    .padStart(MARK_DIGITS, '0');
}
