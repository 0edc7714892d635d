import type { Verdict } from '@uniferum/core/intake';
import {
  type AssetTexts,
  type FocalPoint,
  joinPath,
  type Kind,
  type LinkFacts,
  parseCaptureTime,
  type Visibility,
} from '@uniferum/core/library';
import {
  change,
  changeExpanded,
  type Executor,
  type SqlValue,
  selectExpanded,
  selectOne,
  writeJson,
} from '../shared/database.js';
import { countHolders } from './blob-queries.js';
import { insertKeywords } from './keyword-queries.js';

export interface AssetRow {
  id: number;
  folder_id: number;
  folder_path: string;
  name: string;
  address_stem: string;
  live: number | null;
  kind: Kind;
  mime: string;
  sha256: string;
  crc32: string;
  version: number;
  bytes: number;
  width: number | null;
  height: number | null;
  orientation: number | null;
  duration: number | null;
  title: string | null;
  alt: string | null;
  caption: string | null;
  credit: string | null;
  keywords: string;
  captured_at: Date | null;
  captured_offset: string | null;
  focal_x: number | null;
  focal_y: number | null;
  placeholder: string | null;
  link: string | null;
  phash: string | null;
  intake_id: number | null;
  origin_by: string;
  origin_via: 'console' | 'api';
  sent_as: string;
  verdict: string;
  /** Its own setting; null takes its folder's. */
  visibility: Visibility | null;
  revision: number;
  created_at: Date;
  updated_at: Date;
  deleted_at: Date | null;
}

/** The texts of an asset, as used in answers and rules. */
export function textsOf(
  row: Pick<AssetRow, 'title' | 'alt' | 'caption' | 'credit' | 'keywords'>,
): AssetTexts {
  const { title, alt, caption, credit, keywords } = row;
  return { title, alt, caption, credit, keywords: JSON.parse(keywords) };
}

/** Reads assets as {@link AssetRow}; a condition follows. */
export const SELECT_ASSETS = `
  SELECT assets.id, assets.folder_id, folders.path AS folder_path, assets.name, assets.address_stem, assets.live, assets.kind,
         assets.mime, assets.sha256, blobs.crc32, assets.version, assets.bytes, assets.width, assets.height, assets.orientation,
         assets.duration, assets.title, assets.alt, assets.caption, assets.credit, assets.keywords, assets.captured_at, assets.captured_offset,
         assets.focal_x, assets.focal_y, assets.placeholder, assets.link, assets.phash, assets.intake_id, assets.origin_by, assets.origin_via,
         assets.sent_as, assets.verdict, assets.visibility, assets.revision, assets.created_at, assets.updated_at, assets.deleted_at
  FROM assets
  JOIN folders ON folders.id = assets.folder_id
  JOIN blobs ON blobs.sha256 = assets.sha256`;

/** Finds an asset, including one in the bin. */
export async function findAsset(db: Executor, id: string): Promise<AssetRow | null> {
  return selectOne<AssetRow>(db, `${SELECT_ASSETS} WHERE assets.id = ?`, [id]);
}

/** Locks an asset until the transaction ends. @returns whether it exists */
export async function lockAsset(tx: Executor, id: string): Promise<boolean> {
  return (await selectOne(tx, 'SELECT id FROM assets WHERE id = ? FOR UPDATE', [id])) !== null;
}

/** Finds assets in the order of the given ids. */
export async function findAssets(db: Executor, ids: readonly number[]): Promise<AssetRow[]> {
  if (ids.length === 0) return [];
  const rows = await selectExpanded<AssetRow>(db, `${SELECT_ASSETS} WHERE assets.id IN (?)`, [ids]);
  const byId = new Map(rows.map((row) => [row.id, row]));
  return ids.map((id) => byId.get(id)).filter((row) => row !== undefined);
}

/** Finds a live asset by folder and name. */
export async function findAssetByName(
  db: Executor,
  folderPath: string,
  name: string,
): Promise<AssetRow | null> {
  return selectOne<AssetRow>(
    db,
    `${SELECT_ASSETS} WHERE assets.id = (
       SELECT placed.id FROM assets AS placed JOIN folders AS place ON place.id = placed.folder_id
       WHERE place.path = ? AND placed.live = 1 AND placed.name = ?)`,
    [folderPath, name],
  );
}

/** Finds the live asset whose renditions use this stem in their URLs; null when there is none. */
export async function findAssetIdByStem(
  db: Executor,
  folderPath: string,
  stem: string,
): Promise<string | null> {
  const row = await selectOne<{ id: number }>(
    db,
    `SELECT assets.id FROM assets JOIN folders ON folders.id = assets.folder_id
     WHERE folders.path = ? AND assets.live = 1 AND assets.address_stem = ?`,
    [folderPath, stem],
  );
  return row && String(row.id);
}

/** For each digest, finds the oldest live asset with these bytes. */
export async function findAssetsByBytes(
  db: Executor,
  digests: readonly string[],
): Promise<{ id: string; sha256: string; folderPath: string; name: string }[]> {
  if (digests.length === 0) return [];
  const rows = await selectExpanded<{ id: number; sha256: string; path: string; name: string }>(
    db,
    `SELECT assets.id, assets.sha256, folders.path, assets.name FROM assets JOIN folders ON folders.id = assets.folder_id
     WHERE assets.sha256 IN (?) AND assets.live = 1
     ORDER BY assets.id DESC
     LIMIT 10000`,
    [digests],
  );
  const oldest = new Map(
    rows.map(({ id, sha256, path, name }) => [sha256, { id: String(id), sha256, folderPath: path, name }]),
  );
  return [...oldest.values()];
}

/** The address path of another live asset with the same bytes, the oldest; null when there is none. */
export async function findTwin(db: Executor, sha256: string, self: number): Promise<string | null> {
  const row = await selectOne<{ path: string; name: string }>(
    db,
    `SELECT folders.path, assets.name FROM assets JOIN folders ON folders.id = assets.folder_id
     WHERE assets.sha256 = ? AND assets.live = 1 AND assets.id <> ?
     ORDER BY assets.id
     LIMIT 1`,
    [sha256, self],
  );
  return row && joinPath(row.path, row.name);
}

export interface NewAsset extends AssetTexts {
  folderId: string;
  name: string;
  addressStem: string;
  kind: Kind;
  mime: string;
  sha256: string;
  bytes: number;
  width: number | null;
  height: number | null;
  orientation: number | null;
  /** As `parseCaptureTime` reads it. */
  capturedAt: string | null;
  link: LinkFacts | null;
  intakeId: string | null;
  by: string;
  via: 'console' | 'api';
  sentAs: string;
  verdict: Verdict;
  createdAt: Date;
}

/** Inserts new assets with their first versions and keywords. @returns their ids, in order */
export async function insertAssets(tx: Executor, assets: readonly NewAsset[]): Promise<string[]> {
  if (assets.length === 0) return [];
  // One statement gets a contiguous range of ids: innodb_autoinc_lock_mode 1 and 2 both guarantee it.
  const { insertId } = await changeExpanded(
    tx,
    `INSERT INTO assets (folder_id, name, address_stem, kind, mime, sha256, bytes, width, height, orientation, title, alt, caption,
                         credit, keywords, captured_at, captured_offset, link, intake_id, origin_by, origin_via, sent_as, verdict, created_at)
     VALUES ?`,
    [
      assets.map((asset) => [
        asset.folderId,
        asset.name,
        asset.addressStem,
        asset.kind,
        asset.mime,
        asset.sha256,
        asset.bytes,
        asset.width,
        asset.height,
        asset.orientation,
        asset.title,
        asset.alt,
        asset.caption,
        asset.credit,
        writeJson(asset.keywords),
        ...captureColumns(asset.capturedAt).map((value) => value ?? null),
        asset.link && writeJson(asset.link),
        asset.intakeId,
        asset.by,
        asset.via,
        asset.sentAs,
        writeJson(asset.verdict),
        asset.createdAt,
      ]),
    ],
  );
  const ids = assets.map((_, index) => String(insertId + index));
  await changeExpanded(
    tx,
    'INSERT INTO asset_versions (asset_id, n, sha256, bytes, mime, width, height, orientation, made_by) VALUES ?',
    [
      assets.map(({ sha256, bytes, mime, width, height, orientation, by }, index) => [
        ids[index],
        1,
        sha256,
        bytes,
        mime,
        width,
        height,
        orientation,
        by,
      ]),
    ],
  );
  await countHolders(
    tx,
    assets.map(({ sha256 }) => sha256),
    1,
  );
  await insertKeywords(
    tx,
    assets.map(({ keywords }, index) => ({ id: ids[index] as string, keywords })),
  );
  return ids;
}

/** The columns that an edit may set; absent ones stay unchanged. */
export interface AssetEdit extends Partial<AssetTexts> {
  name?: string;
  addressStem?: string;
  folderId?: string;
  /** As `parseCaptureTime` reads it. */
  capturedAt?: string | null;
  focal?: FocalPoint | null;
  visibility?: Visibility | null;
}

export async function updateAsset(tx: Executor, id: string, edit: AssetEdit): Promise<void> {
  const columns: [string, SqlValue][] = [];
  const set = (column: string, value: SqlValue | undefined) => {
    if (value !== undefined) columns.push([column, value]);
  };
  set('name', edit.name);
  set('address_stem', edit.addressStem);
  set('folder_id', edit.folderId);
  set('title', edit.title);
  set('alt', edit.alt);
  set('caption', edit.caption);
  set('credit', edit.credit);
  set('visibility', edit.visibility);
  set('keywords', edit.keywords && writeJson(edit.keywords));
  if (edit.capturedAt !== undefined) {
    const [at, offset] = captureColumns(edit.capturedAt);
    set('captured_at', at);
    set('captured_offset', offset);
  }
  set('focal_x', edit.focal === undefined ? undefined : (edit.focal?.x ?? null));
  set('focal_y', edit.focal === undefined ? undefined : (edit.focal?.y ?? null));
  const assignments = columns.map(([column]) => `${column} = ?, `).join('');
  await change(
    tx,
    `UPDATE assets SET ${assignments} revision = revision + 1, updated_at = GREATEST(NOW(3), updated_at) WHERE id = ?`,
    [...columns.map(([, value]) => value), id],
  );
}

/** @returns the moment, and the offset: undefined where the time says nothing about it */
function captureColumns(time: string | null): [Date | null, string | null | undefined] {
  if (time === null) return [null, null];
  const parsed = parseCaptureTime(time);
  if (parsed === null) throw new RangeError(`"${time}" is not a capture time`);
  return [new Date(parsed.at), parsed.offset];
}

export async function updatePlaceholder(tx: Executor, id: string, placeholder: string): Promise<void> {
  await change(tx, 'UPDATE assets SET placeholder = ? WHERE id = ?', [placeholder, id]);
}

export async function updateVerdict(tx: Executor, id: string, verdict: Verdict): Promise<void> {
  await change(tx, 'UPDATE assets SET verdict = ? WHERE id = ?', [writeJson(verdict), id]);
}

export async function updateDuration(tx: Executor, id: string, seconds: number): Promise<void> {
  await change(tx, 'UPDATE assets SET duration = ? WHERE id = ?', [seconds, id]);
}

/** Reads assets, including those in the bin, and locks them until the transaction ends. */
export async function holdAssets(tx: Executor, ids: readonly string[]): Promise<AssetRow[]> {
  if (ids.length === 0) return [];
  await selectExpanded(tx, 'SELECT id FROM assets WHERE id IN (?) ORDER BY id FOR UPDATE', [ids]);
  return findAssets(tx, ids.map(Number));
}
