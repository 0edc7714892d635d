import { recordEvent } from '../events/outbox.js';
import { inTransaction, type Transaction } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import type { Principal } from '../shared/principal.js';
import { type AssetRow, findAsset } from './asset-queries.js';
import { type ChangeContext, type HeldChange, holdAnyAsset, holdAsset } from './assets.js';
import { binAsset, purgeAssets, unbinAsset } from './bin-queries.js';
import { countAsset } from './count-asset.js';
import { assetBinned, assetPurged, assetRestored } from './events.js';
import { findFolder } from './folder-queries.js';
import { findFreeAddress } from './free-address.js';
import { prepareChanges, requireChange } from './guards.js';
import type { AssetChange, Joints } from './joints.js';
import { lockFor } from './listeners.js';
import type { LibraryTools } from './tools.js';

/** Moves an asset to the bin. Its bytes stay. */
export async function deleteAsset(
  { db, joints }: LibraryTools,
  id: string,
  { who, ifMatch, isForced = false }: ChangeContext & { isForced?: boolean },
): Promise<void> {
  const known = await findAsset(db, id);
  const prepared = await prepareChanges(joints, db, known === null ? [] : [{ kind: 'bin', row: known }]);
  await inTransaction(db, async (tx) => {
    await lockFor(joints, tx, { ids: [id] });
    await binHeldAsset(joints, tx, await holdAsset(tx, id, ifMatch), { by: who.name, prepared, isForced });
  });
}

/** Moves a locked asset to the bin. @throws UniferumError `conflict` when something depends on it */
export async function binHeldAsset(
  joints: Joints,
  tx: Transaction,
  row: AssetRow,
  { by, prepared, isForced = false }: HeldChange & { isForced?: boolean },
): Promise<void> {
  const id = String(row.id);
  await requireChange(joints, tx, { kind: 'bin', row, isForced }, prepared);
  await binAsset(tx, id);
  await countAsset(tx, row, -1);
  for (const listener of joints.listeners) await listener.binned?.(tx, row, by);
  await recordEvent(tx, {
    event: assetBinned,
    asset: id,
    by,
    data: { id, name: row.name, folder: row.folder_path },
  });
}

/** Restores an asset from the bin, at its old URL if that is still free, as far as its folder accepts it. */
export async function restoreAsset({ db, joints }: LibraryTools, id: string, who: Principal): Promise<void> {
  const known = await findAsset(db, id);
  const prepared = await prepareChanges(joints, db, known === null ? [] : [restoralOf(known)]);
  await inTransaction(db, async (tx) => {
    await lockFor(joints, tx, { ids: [id] });
    const row = await holdAnyAsset(tx, id);
    if (row.live === null) await restoreHeldAsset(joints, tx, row, { by: who.name, prepared });
  });
}

/** Describes a restore, for guards that prepare. */
export function restoralOf(row: AssetRow): AssetChange {
  return { kind: 'restore', row, name: row.name, to: { path: row.folder_path, items: 0 } };
}

/** Restores a locked asset from the bin. @throws UniferumError `refused`; `conflict` */
export async function restoreHeldAsset(
  joints: Joints,
  tx: Transaction,
  row: AssetRow,
  { by, prepared }: HeldChange,
): Promise<void> {
  const id = String(row.id);
  const folder = await findFolder(tx, String(row.folder_id), { lock: true });
  if (folder === null) throw notFound(`The folder of ${row.name}`);
  await requireChange(joints, tx, { kind: 'restore', row, name: row.name, to: folder }, prepared);
  const place = await findFreeAddress(tx, folder, row.name, id);
  await unbinAsset(tx, id, place);
  const restored = { ...row, name: place.name };
  await countAsset(tx, restored, 1);
  for (const listener of joints.listeners) await listener.restored?.(tx, restored, by);
  await recordEvent(tx, { event: assetRestored, asset: id, by, data: { id } });
}

/** Permanently deletes a locked asset from the bin. @throws UniferumError `conflict` when something depends on it */
export async function purgeHeldAsset(
  joints: Joints,
  tx: Transaction,
  row: AssetRow,
  { by, prepared }: HeldChange,
): Promise<void> {
  const id = String(row.id);
  await requireChange(joints, tx, { kind: 'purge', row }, prepared);
  for (const listener of joints.listeners) await listener.purged?.(tx, [id]);
  await purgeAssets(tx, [id]);
  await recordEvent(tx, { event: assetPurged, asset: id, by, data: { id, name: row.name } });
}
