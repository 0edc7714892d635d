import {
  type Asset,
  type AssetTexts,
  cleanName,
  type FocalPoint,
  judgeFile,
  REQUIRABLE_TEXTS,
  type RequirableText,
} from '@uniferum/core';
import type { Principal } from '../access/principal.js';
import { recordEvent } from '../hooks/outbox.js';
import { countRenditions, judgeMarked, refreshRenditions } from '../recipes/bookkeeping.js';
import { focalPoint } from '../recipes/digests.js';
import { effectiveRules } from '../rules/service.js';
import { type Database, inTransaction, type Transaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import { toAssetAnswers } from './asset-answers.js';
import {
  type AssetEdit,
  type AssetRow,
  findAsset,
  lockAsset,
  textsOf,
  updateAsset,
} from './asset-queries.js';
import { binAsset, unbinAsset } from './bin-queries.js';
import { countHolders, findCopies } from './blob-queries.js';
import { countFacets, facetSubject } from './facet-queries.js';
import { addToFolder, deleteForward, findFolder, putForward, type StoredFolder } from './folder-queries.js';
import { ensureFolder } from './folders.js';
import { addressKeys, findFreeAddress, type PlacedName } from './free-address.js';
import { replaceKeywords } from './keyword-queries.js';
import { addToTally } from './tallies.js';

export interface AssetChange extends Partial<AssetTexts> {
  name?: string;
  /** The path of the folder into which it moves; made when it is missing. */
  folder?: string;
  capturedAt?: string | null;
  focal?: FocalPoint | null;
}

export interface ChangeContext {
  who: Principal;
  ifMatch: string | undefined;
}

/** Reads a live asset with the tag of its state. @throws UniferumError `not-found` */
export async function readAsset(
  db: Database,
  id: string,
  publicUrl: string,
): Promise<{ asset: Asset; etag: string }> {
  const row = await findAsset(db, id);
  if (row === null || row.live === null) throw notFound(`Asset ${id}`);
  const [asset] = await toAssetAnswers(db, [row], publicUrl);
  if (asset === undefined) throw notFound(`Asset ${id}`);
  return { asset, etag: revisionTag(id, row.revision) };
}

/** Edits, renames and moves an asset. Its old addresses forward to the new ones. */
export async function changeAsset(
  db: Database,
  id: string,
  wanted: AssetChange,
  { who, ifMatch }: ChangeContext,
): Promise<void> {
  await inTransaction(db, async (tx) =>
    changeHeldAsset(tx, await holdAsset(tx, id, ifMatch), wanted, who.name),
  );
}

/** Edits, renames and moves an asset that is held, in a transaction that is going on. */
export async function changeHeldAsset(
  tx: Transaction,
  row: AssetRow,
  wanted: AssetChange,
  by: string,
): Promise<void> {
  const id = String(row.id);
  const { name, folder, ...edit } = withoutEmptyTexts(wanted);
  const place = await moveAsset(tx, row, { name, folder }, by);
  await updateAsset(tx, id, { ...edit, ...place } satisfies AssetEdit);
  if (edit.keywords) await replaceKeywords(tx, id, edit.keywords);
  const before = facetSubject(row, null);
  await countFacets(tx, [
    { sign: -1, subject: before },
    { sign: 1, subject: { ...before, ...withoutUndefined(edit), ...(place && { name: place.name }) } },
  ]);
  const subject = {
    id,
    name: row.name,
    kind: row.kind,
    mime: row.mime,
    folder: wanted.folder ?? row.folder_path,
    revision: row.revision,
    sha256: row.sha256,
    focal: edit.focal === undefined ? focalPoint(row) : edit.focal,
  };
  if (edit.focal !== undefined || subject.folder !== row.folder_path)
    await refreshRenditions(tx, subject, by);
  await recordEvent(tx, {
    type: 'asset.changed',
    asset: id,
    by,
    data: { id, fields: Object.keys(wanted) },
  });
}

/** Puts an asset into the bin. Its bytes stay. */
export async function deleteAsset(db: Database, id: string, { who, ifMatch }: ChangeContext): Promise<void> {
  await inTransaction(db, async (tx) => binHeldAsset(tx, await holdAsset(tx, id, ifMatch), who.name));
}

/** Puts an asset that is held into the bin. */
export async function binHeldAsset(tx: Transaction, row: AssetRow, by: string): Promise<void> {
  const id = String(row.id);
  await binAsset(tx, id);
  await countAsset(tx, row, -1);
  await judgeMarked(tx, row.folder_path, row.name);
  await recordEvent(tx, {
    type: 'asset.deleted',
    asset: id,
    by,
    data: { id, name: row.name, folder: row.folder_path },
  });
}

/** Takes an asset out of the bin, at its old address if that is still free. */
export async function restoreAsset(db: Database, id: string, who: Principal): Promise<void> {
  await inTransaction(db, async (tx) => {
    const row = await holdAnyAsset(tx, id);
    if (row.live === null) await restoreHeldAsset(tx, row, who.name);
  });
}

/** Takes an asset that is held out of the bin. */
export async function restoreHeldAsset(tx: Transaction, row: AssetRow, by: string): Promise<void> {
  const id = String(row.id);
  const folder = { id: String(row.folder_id), path: row.folder_path };
  const place = await findFreeAddress(tx, folder, row.name, id);
  await unbinAsset(tx, id, place);
  await countAsset(tx, { ...row, name: place.name }, 1);
  const { kind, mime, revision, sha256 } = row;
  const subject = { id, name: place.name, kind, mime, folder: row.folder_path, revision, sha256 };
  await refreshRenditions(tx, { ...subject, focal: focalPoint(row) }, by);
  await recordEvent(tx, { type: 'asset.restored', asset: id, by, data: { id } });
}

/** Holds an asset, also one in the bin, until the transaction ends. @throws UniferumError `not-found` */
export async function holdAnyAsset(tx: Transaction, id: string): Promise<AssetRow> {
  await lockAsset(tx, id);
  const row = await findAsset(tx, id);
  if (row === null) throw notFound(`Asset ${id}`);
  return row;
}

/** The texts that are filled in. */
export function filledTexts(texts: AssetTexts): RequirableText[] {
  return REQUIRABLE_TEXTS.filter((field) => (texts[field] ?? '').length > 0);
}

/** An emptied text is one that is not known. */
function withoutEmptyTexts(wanted: AssetChange): AssetChange {
  return Object.fromEntries(
    Object.entries(wanted).map(([field, value]) => [field, value === '' ? null : value]),
  );
}

/** Holds a live asset that is still in the state that the caller knows. @throws UniferumError `not-found`, `stale-state` */
export async function holdAsset(tx: Transaction, id: string, ifMatch: string | undefined): Promise<AssetRow> {
  await lockAsset(tx, id);
  const row = await findAsset(tx, id);
  if (row === null || row.live === null) throw notFound(`Asset ${id}`);
  requireMatch(ifMatch, revisionTag(id, row.revision), row.name);
  return row;
}

async function moveAsset(
  tx: Transaction,
  row: AssetRow,
  wanted: { name: string | undefined; folder: string | undefined },
  by: string,
): Promise<(PlacedName & { folderId: string }) | null> {
  const folderPath = wanted.folder ?? row.folder_path;
  const name = wanted.name ?? row.name;
  if (folderPath === row.folder_path && name === row.name) return null;
  if (cleanName(name) !== name) {
    throw new UniferumError('refused', `${name} can't stand in an address; ${cleanName(name)} could.`, {
      errors: [{ field: 'name', code: 'name-invalid', message: `use ${cleanName(name)}` }],
    });
  }
  const target = await ensureFolder(tx, folderPath, by);
  const isOtherFolder = target.id !== String(row.folder_id);
  if (isOtherFolder) await judgeMove(tx, row, target, name);
  const place = await findFreeAddress(tx, target, name, String(row.id));
  if (wanted.name !== undefined && place.name !== name) {
    throw new UniferumError(
      'conflict',
      `${target.path} has or had another ${name}. Choose another name, such as ${place.name}.`,
    );
  }
  const before = addressKeys(row.folder_path, { name: row.name, addressStem: row.address_stem });
  const after = addressKeys(target.path, place);
  for (const key of before) if (!after.includes(key)) await putForward(tx, key, { assetId: String(row.id) });
  for (const key of after) await deleteForward(tx, key);
  if (isOtherFolder) {
    await addToFolder(tx, String(row.folder_id), { items: -1, bytes: -row.bytes });
    await addToFolder(tx, target.id, { items: 1, bytes: row.bytes });
  }
  return { ...place, folderId: target.id };
}

async function judgeMove(tx: Transaction, row: AssetRow, target: StoredFolder, name: string): Promise<void> {
  const locked = (await findFolder(tx, target.id, { lock: true })) ?? target;
  const facts = {
    name,
    bytes: row.bytes,
    mime: row.mime,
    width: row.width,
    height: row.height,
    texts: filledTexts(textsOf(row)),
  };
  const verdict = judgeFile(facts, await effectiveRules(tx, target.path), locked);
  if (verdict.outcome === 'refused')
    throw new UniferumError('refused', verdict.reasons.map(({ message }) => message).join(' '), { verdict });
}

/** Takes an asset into all kept counts, or out of them. */
async function countAsset(tx: Transaction, row: AssetRow, sign: 1 | -1): Promise<void> {
  const amount = { items: sign, bytes: sign * row.bytes };
  await addToFolder(tx, String(row.folder_id), amount);
  await addToTally(tx, 'kind', row.kind, amount);
  await countHolders(tx, [row.sha256], sign);
  await countFacets(tx, [{ sign, subject: facetSubject(row, await storeOf(tx, row.sha256)) }]);
  await countRenditions(tx, String(row.id), sign);
}

/** The store under which an asset is counted: the first of those that have its bytes. */
export async function storeOf(tx: Transaction, sha256: string): Promise<string | null> {
  return (await findCopies(tx, [sha256]))[0]?.store ?? null;
}

function withoutUndefined<Fields extends object>(fields: Fields): Fields {
  return Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined)) as Fields;
}
