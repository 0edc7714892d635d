import {
  type Asset,
  type AssetTexts,
  cleanName,
  type FocalPoint,
  findLongTexts,
  joinPath,
  type Visibility,
  withoutDirectionMarks,
} from '@uniferum/core/library';
import { recordEvent } from '../events/outbox.js';
import { inTransaction, StartOver, type Transaction, writeJson } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import type { Principal } from '../shared/principal.js';
import { toAssetAnswers } from './asset-answers.js';
import {
  type AssetEdit,
  type AssetRow,
  findAsset,
  lockAsset,
  textsOf,
  updateAsset,
} from './asset-queries.js';
import { assetChanged } from './events.js';
import { countFacets, facetSubject } from './facet-queries.js';
import { addToFolder, deleteForward, findFolder, putForward } from './folder-queries.js';
import { addressKeys, findFreeAddress, type PlacedName } from './free-address.js';
import { type Preparation, prepareChanges, requireChange } from './guards.js';
import { announceFolders, type HeldFolder, holdFolders } from './hold-folders.js';
import type { AssetChange, Joints } from './joints.js';
import { replaceKeywords } from './keyword-queries.js';
import { lockFor } from './listeners.js';
import type { LibraryTools } from './tools.js';

export interface AssetPatch extends Partial<AssetTexts> {
  name?: string;
  /** The path of the folder it moves to; created when missing. */
  folder?: string;
  capturedAt?: string | null;
  focal?: FocalPoint | null;
  /** Null takes what its folder says. */
  visibility?: Visibility | null;
}

export interface ChangeContext {
  who: Principal;
  ifMatch: string | undefined;
}

/** Reads a live asset with an entity tag. @throws UniferumError `not-found` */
export async function readAsset(tools: LibraryTools, id: string): Promise<{ asset: Asset; etag: string }> {
  const row = await findAsset(tools.db, id);
  if (row === null || row.live === null) throw notFound(`Asset ${id}`);
  const [asset] = await toAssetAnswers(tools, [row]);
  if (asset === undefined) throw notFound(`Asset ${id}`);
  return { asset, etag: revisionTag(id, row.revision) };
}

/** Edits, renames and moves an asset, as far as its folder's rules allow. Its old URLs redirect to the new ones. */
export async function changeAsset(
  { db, joints }: LibraryTools,
  id: string,
  wanted: AssetPatch,
  { who, ifMatch }: ChangeContext,
): Promise<void> {
  const known = await findAsset(db, id);
  const prepared = await prepareChanges(joints, db, known === null ? [] : moveOf(known, wanted));
  await inTransaction(db, async (tx) => {
    await lockFor(joints, tx, { ids: [id], paths: known === null ? [] : pathAfter(known, wanted) });
    await changeHeldAsset(joints, tx, await holdAsset(tx, id, ifMatch), wanted, { by: who.name, prepared });
  });
}

/** The move implied by a patch, for guards that prepare; none when the asset stays in its folder. */
export function moveOf(row: AssetRow, { folder, name }: Pick<AssetPatch, 'folder' | 'name'>): AssetChange[] {
  if (folder === undefined || folder === row.folder_path) return [];
  return [{ kind: 'move', row, name: name ?? row.name, to: { path: folder, items: 0 } }];
}

function pathAfter(row: AssetRow, { folder, name }: Pick<AssetPatch, 'folder' | 'name'>): string[] {
  if (folder === undefined && name === undefined) return [];
  return [joinPath(folder ?? row.folder_path, name ?? row.name)];
}

/** How a locked asset is changed. */
export interface HeldChange {
  by: string;
  /** What guards prepared for it. */
  prepared: Preparation;
}

/**
 * Edits, renames and moves a locked asset in the current transaction.
 *
 * @throws UniferumError `refused` by a rule; `conflict`
 */
export async function changeHeldAsset(
  joints: Joints,
  tx: Transaction,
  row: AssetRow,
  wanted: AssetPatch,
  { by, prepared }: HeldChange,
): Promise<void> {
  const id = String(row.id);
  const { name, folder, ...edit } = withoutEmptyTexts(wanted);
  requireFitting(row.name, edit);
  const textsAfter = { ...textsOf(row), ...withoutUndefined(edit) };
  const rowAfter: AssetRow = { ...row, ...textsAfter, keywords: writeJson(textsAfter.keywords) };
  const place = await moveAsset(joints, tx, { row, rowAfter }, { name, folder }, { by, prepared });
  if (place === null || place.folderId === String(row.folder_id))
    await requireChange(joints, tx, { kind: 'edit', row, texts: textsAfter }, prepared);
  await updateAsset(tx, id, { ...edit, ...place } satisfies AssetEdit);
  if (edit.keywords) await replaceKeywords(tx, id, edit.keywords);
  const before = facetSubject(row, null);
  await countFacets(tx, [
    { sign: -1, subject: before },
    { sign: 1, subject: { ...before, ...withoutUndefined(edit), ...(place && { name: place.name }) } },
  ]);
  const after: AssetRow = {
    ...rowAfter,
    ...(place && {
      name: place.name,
      folder_id: Number(place.folderId),
      folder_path: folder ?? row.folder_path,
    }),
    ...(edit.visibility !== undefined && { visibility: edit.visibility }),
    ...(edit.focal !== undefined && { focal_x: edit.focal?.x ?? null, focal_y: edit.focal?.y ?? null }),
  };
  for (const listener of joints.listeners) await listener.changed?.(tx, row, after, by);
  await recordEvent(tx, {
    event: assetChanged,
    asset: id,
    by,
    data: { id, fields: Object.keys(wanted) },
  });
}

/** Locks an asset, including one in the bin, until the transaction ends. @throws UniferumError `not-found` */
export async function holdAnyAsset(tx: Transaction, id: string): Promise<AssetRow> {
  await lockAsset(tx, id);
  const row = await findAsset(tx, id);
  if (row === null) throw notFound(`Asset ${id}`);
  return row;
}

/** Rejects texts longer than the maximum, which appending and replacing can produce. @throws UniferumError `refused` */
function requireFitting(name: string, texts: Partial<AssetTexts>): void {
  const [long] = findLongTexts(texts);
  if (!long) return;
  const what = long.field === 'keywords' ? 'keywords' : `a ${long.field}`;
  throw new UniferumError(
    'refused',
    `${name} would have ${what} of ${long.actual}; the limit is ${long.limit}. Shorten it.`,
    { errors: [{ field: long.field, code: 'too-long', message: `at most ${long.limit}` }] },
  );
}

/** An emptied text is stored as unknown. */
function withoutEmptyTexts(wanted: AssetPatch): AssetPatch {
  return Object.fromEntries(
    Object.entries(wanted).map(([field, value]) => [field, value === '' ? null : value]),
  );
}

/** Locks a live asset that is still in the state known to the caller. @throws UniferumError `not-found`, `stale-state` */
export async function holdAsset(tx: Transaction, id: string, ifMatch: string | undefined): Promise<AssetRow> {
  await lockAsset(tx, id);
  const row = await findAsset(tx, id);
  if (row === null || row.live === null) throw notFound(`Asset ${id}`);
  requireMatch(ifMatch, revisionTag(id, row.revision), row.name);
  return row;
}

async function moveAsset(
  joints: Joints,
  tx: Transaction,
  { row, rowAfter }: { row: AssetRow; rowAfter: AssetRow },
  wanted: { name: string | undefined; folder: string | undefined },
  { by, prepared }: HeldChange,
): Promise<(PlacedName & { folderId: string }) | null> {
  const folderPath = wanted.folder ?? row.folder_path;
  const name = wanted.name ?? row.name;
  if (folderPath === row.folder_path && name === row.name) return null;
  if (cleanName(name) !== name) {
    const shown = withoutDirectionMarks(name);
    throw new UniferumError(
      'refused',
      `${shown} is not a valid name in a URL; ${cleanName(name)} would be.`,
      {
        errors: [{ field: 'name', code: 'name-invalid', message: `use ${cleanName(name)}` }],
      },
    );
  }
  const target = await holdPlaces(tx, row, folderPath);
  const isOtherFolder = target.folder.id !== String(row.folder_id);
  const change: AssetChange = isOtherFolder
    ? { kind: 'move', row: rowAfter, name, to: target.folder }
    : { kind: 'rename', row, name };
  await requireChange(joints, tx, change, prepared);
  await announceFolders(tx, target.made, by);
  const place = await findFreeAddress(tx, target.folder, name, String(row.id));
  if (wanted.name !== undefined && place.name !== name) {
    throw new UniferumError(
      'conflict',
      `${target.folder.path} already uses or used the name ${name}. Choose another name, such as ${place.name}.`,
    );
  }
  const before = addressKeys(row.folder_path, { name: row.name, addressStem: row.address_stem });
  const after = addressKeys(target.folder.path, place);
  for (const key of before) if (!after.includes(key)) await putForward(tx, key, { assetId: String(row.id) });
  for (const key of after) await deleteForward(tx, key);
  if (isOtherFolder) {
    await addToFolder(tx, String(row.folder_id), { items: -1, bytes: -row.bytes });
    await addToFolder(tx, target.folder.id, { items: 1, bytes: row.bytes });
  }
  return { ...place, folderId: target.folder.id };
}

/** Locks an asset's current and target folders in path order. @returns the target */
async function holdPlaces(tx: Transaction, row: AssetRow, folderPath: string): Promise<HeldFolder> {
  const holdSource = async (): Promise<HeldFolder> => {
    const folder = await findFolder(tx, String(row.folder_id), { lock: true });
    // The folder was moved after the asset was read.
    if (folder === null || folder.path !== row.folder_path) throw new StartOver();
    return { folder, made: [] };
  };
  if (folderPath === row.folder_path) return holdSource();
  const holdTarget = async () => (await holdFolders(tx, [folderPath])).get(folderPath) as HeldFolder;
  if (row.folder_path < folderPath) {
    await holdSource();
    return holdTarget();
  }
  const target = await holdTarget();
  await holdSource();
  return target;
}

function withoutUndefined<Fields extends object>(fields: Fields): Fields {
  return Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined)) as Fields;
}
