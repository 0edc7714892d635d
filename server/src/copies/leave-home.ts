import { type Placement, planFetching, planLeavingHome } from '@uniferum/core/copies';
import { findAssets } from '../library/asset-queries.js';
import { isBlobReferenced, VERSION_BLOBS } from '../library/blob-queries.js';
import { findHomeCopies, type HomeCopy, leaveHomeCopy, pinHomeCopy } from '../library/home-copy-queries.js';
import { type Executor, inTransaction } from '../shared/database.js';
import { type CopyRow, findCopiesById } from './copy-queries.js';
import { findOtherHolders } from './home-queries.js';
import { placementsIn } from './placements.js';
import { type AssetFile, type ReadCopies, readCopies } from './read-copies.js';
import { recall } from './recall.js';
import type { CopyTools } from './upload.js';

/** Why files stay in the home store. */
type HomeReason = 'last-copy' | 'held' | 'changed';

interface Left {
  files: number;
  stayed: Map<string, number>;
}

const DAY_MS = 86_400_000;

/** Deletes the files of an asset from the home store, as far as its folder's placement says so by now. */
export async function leaveHomeByPlacement(tools: CopyTools, id: number): Promise<Left> {
  const [asset] = await readCopies(tools.db, tools.store.name, [id]);
  const left: Left = { files: 0, stayed: new Map() };
  if (!asset) return left;
  const placement = await placementsIn(tools.db, asset.row.folder_path);
  if (placement.keepLocal === true || placement.stores.length === 0) return left;
  const isPlaced = (file: AssetFile) =>
    placement.stores.every((store) =>
      asset.rows.some((row) => row.store_id === store && row.state === 'stored' && isCopyOf(row, file)),
    );
  const kept = new Map(
    (await findHomeCopies(tools.db, tools.store.name, digestsOf(asset.files))).map((one) => [
      one.sha256,
      one,
    ]),
  );
  const due = planLeavingHome(asset).files.filter((file) => {
    const copy = kept.get(file.sha256);
    return copy && copy.fetched_at === null && isDue(copy, placement) && isPlaced(file);
  });
  return leave(tools, asset, due);
}

function isDue({ created_at }: HomeCopy, { keepLocal }: Pick<Placement, 'keepLocal'>): boolean {
  return keepLocal === false || Date.now() - created_at.getTime() >= Number(keepLocal) * DAY_MS;
}

/** Deletes the files of an asset from the home store that have a good copy elsewhere. */
export async function leaveHome(tools: CopyTools, id: number): Promise<Left> {
  const [asset] = await readCopies(tools.db, tools.store.name, [id]);
  if (!asset) return { files: 0, stayed: new Map() };
  const { files, refused } = planLeavingHome(asset);
  const left = await leave(tools, asset, files);
  for (const { reason } of refused) left.stayed.set(reason, (left.stayed.get(reason) ?? 0) + 1);
  return left;
}

async function leave(tools: CopyTools, asset: ReadCopies, files: readonly AssetFile[]): Promise<Left> {
  const left: Left = { files: 0, stayed: new Map() };
  for (const sha256 of digestsOf(files)) {
    const reason = await leaveOne(tools, asset, sha256);
    if (reason === null) left.files += 1;
    else left.stayed.set(reason, (left.stayed.get(reason) ?? 0) + 1);
  }
  return left;
}

/**
 * Deletes bytes from the home store. A copy elsewhere is looked at right before, in its store; then it is locked, so
 * that nobody drops it while the home store's goes.
 *
 * @returns why they stay; null when they are gone
 */
async function leaveOne(tools: CopyTools, asset: ReadCopies, sha256: string): Promise<HomeReason | null> {
  const { db, store, buckets } = tools;
  const elsewhere = asset.rows.filter((row) => row.sha256 === sha256 && row.state === 'stored');
  const verified: number[] = [];
  for (const copy of elsewhere) {
    const { objects } = await buckets.open(db, copy.store_id);
    const facts = await objects.head(copy.store_key);
    if (facts?.bytes === copy.bytes && facts.etag === copy.etag) verified.push(copy.id);
  }
  if (verified.length === 0) return 'last-copy';
  const stays = await inTransaction(db, async (tx): Promise<HomeReason | null> => {
    const rows = await findCopiesById(tx, verified, { lock: true });
    if (!rows.some(({ state, stale_at }) => state === 'stored' && stale_at === null)) return 'changed';
    const [kept] = await findHomeCopies(tx, store.name, [sha256], { lock: true });
    if (!kept) return 'changed';
    if (await isHeldHere(tx, tools, asset.row.id, sha256)) return 'held';
    await leaveHomeCopy(tx, store.name, kept);
    // Whoever stores the same bytes waits for this transaction, and then finds that they are not here. If it is not
    // committed, they are restored from where they are set aside.
    await store.quarantine(sha256);
    return null;
  });
  if (stays === null) await store.deleteQuarantined(sha256);
  return stays;
}

/** Whether somebody else relies on the home store for these bytes: another asset in another folder, or another room. */
async function isHeldHere(db: Executor, tools: CopyTools, id: number, sha256: string): Promise<boolean> {
  const others = await findAssets(db, await findOtherHolders(db, sha256, [id]));
  for (const { folder_path } of others)
    if ((await placementsIn(db, folder_path)).keepLocal === true) return true;
  const holders = tools.joints.blobHolders.filter(
    ({ table }) => table !== VERSION_BLOBS.table && table !== 'renditions',
  );
  return isBlobReferenced(db, holders, sha256);
}

/** Brings the files of an asset back to the home store, where they stay. @returns how many came, and could not */
export async function fetchHome(tools: CopyTools, id: number): Promise<{ fetched: number; refused: number }> {
  const { db, store } = tools;
  const [asset] = await readCopies(db, store.name, [id]);
  if (!asset) return { fetched: 0, refused: 0 };
  const plan = planFetching(asset);
  let fetched = 0;
  for (const sha256 of digestsOf(plan.files)) if (await recall(tools, sha256)) fetched += 1;
  for (const sha256 of digestsOf(asset.files)) await pinHomeCopy(db, store.name, sha256);
  return { fetched, refused: plan.refused.length + (digestsOf(plan.files).length - fetched) };
}

function digestsOf(files: readonly { sha256: string }[]): string[] {
  return [...new Set(files.map(({ sha256 }) => sha256))];
}

function isCopyOf(row: CopyRow, { recipe, variant, sha256 }: AssetFile): boolean {
  return row.recipe === (recipe ?? '') && row.variant === variant && row.sha256 === sha256;
}
