import type { AssetTexts, FocalPoint, Kind, Verdict } from '@uniferum/core';
import {
  change,
  type Executor,
  type SqlValue,
  select,
  selectExpanded,
  selectOne,
} from '../shared/database.js';

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
  focal_x: number | null;
  focal_y: number | null;
  placeholder: string | null;
  intake_id: number | null;
  origin_by: string;
  origin_via: 'console' | 'api';
  sent_as: string;
  verdict: string;
  revision: number;
  created_at: Date;
  updated_at: Date;
}

const SELECT_ASSETS = `
  SELECT assets.id, assets.folder_id, folders.path AS folder_path, assets.name, assets.address_stem, assets.live, assets.kind,
         assets.mime, assets.sha256, blobs.crc32, assets.version, assets.bytes, assets.width, assets.height, assets.orientation,
         assets.duration, assets.title, assets.alt, assets.caption, assets.credit, assets.keywords, assets.captured_at,
         assets.focal_x, assets.focal_y, assets.placeholder, assets.intake_id, assets.origin_by, assets.origin_via,
         assets.sent_as, assets.verdict, assets.revision, assets.created_at, assets.updated_at
  FROM assets
  JOIN folders ON folders.id = assets.folder_id
  JOIN blobs ON blobs.sha256 = assets.sha256`;

/** Finds an asset, also one in the bin. */
export async function findAsset(db: Executor, id: string): Promise<AssetRow | null> {
  return selectOne<AssetRow>(db, `${SELECT_ASSETS} WHERE assets.id = ?`, [id]);
}

/** Holds an asset until the transaction ends. @returns whether it exists */
export async function lockAsset(tx: Executor, id: string): Promise<boolean> {
  return (await selectOne(tx, 'SELECT id FROM assets WHERE id = ? FOR UPDATE', [id])) !== null;
}

/** Finds assets in the order of their ids as given. */
export async function findAssets(db: Executor, ids: readonly number[]): Promise<AssetRow[]> {
  if (ids.length === 0) return [];
  const rows = await selectExpanded<AssetRow>(db, `${SELECT_ASSETS} WHERE assets.id IN (?)`, [ids]);
  const byId = new Map(rows.map((row) => [row.id, row]));
  return ids.map((id) => byId.get(id)).filter((row) => row !== undefined);
}

/** Finds a live asset by its place. */
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

/** Finds the live asset whose renditions have this stem in their addresses; null when there is none. */
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

/** Finds a live asset that holds these bytes; null when there is none. */
export async function findAssetByBytes(
  db: Executor,
  sha256: string,
): Promise<{ folderPath: string; name: string } | null> {
  const row = await selectOne<{ path: string; name: string }>(
    db,
    `SELECT folders.path, assets.name FROM assets JOIN folders ON folders.id = assets.folder_id
     WHERE assets.sha256 = ? AND assets.live = 1
     ORDER BY assets.id
     LIMIT 1`,
    [sha256],
  );
  return row && { folderPath: row.path, name: row.name };
}

/** Finds out which live asset of a folder has a name; null when it is free. */
export async function findNameHolder(db: Executor, folderId: string, name: string): Promise<string | null> {
  const row = await selectOne<{ id: number }>(
    db,
    'SELECT id FROM assets WHERE folder_id = ? AND live = 1 AND name = ?',
    [folderId, name],
  );
  return row && String(row.id);
}

/** Finds out which live asset of a folder has a stem in its renditions' addresses; null when it is free. */
export async function findStemHolder(db: Executor, folderId: string, stem: string): Promise<string | null> {
  const row = await selectOne<{ id: number }>(
    db,
    'SELECT id FROM assets WHERE folder_id = ? AND live = 1 AND address_stem = ?',
    [folderId, stem],
  );
  return row && String(row.id);
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
  capturedAt: string | null;
  intakeId: string | null;
  by: string;
  via: 'console' | 'api';
  sentAs: string;
  verdict: Verdict;
}

/** Writes a new asset with its first version. @returns its id */
export async function insertAsset(tx: Executor, asset: NewAsset): Promise<string> {
  const { insertId } = await change(
    tx,
    `INSERT INTO assets (folder_id, name, address_stem, kind, mime, sha256, bytes, width, height, orientation, title, alt, caption,
                         credit, keywords, captured_at, intake_id, origin_by, origin_via, sent_as, verdict)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    [
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
      JSON.stringify(asset.keywords),
      asset.capturedAt === null ? null : new Date(asset.capturedAt),
      asset.intakeId,
      asset.by,
      asset.via,
      asset.sentAs,
      JSON.stringify(asset.verdict),
    ],
  );
  await change(
    tx,
    'INSERT INTO asset_versions (asset_id, n, sha256, bytes, mime, width, height, made_by) VALUES (?, 1, ?, ?, ?, ?, ?, ?)',
    [insertId, asset.sha256, asset.bytes, asset.mime, asset.width, asset.height, asset.by],
  );
  return String(insertId);
}

/** A kept blob, and where it is kept. */
export interface NewBlob {
  sha256: string;
  bytes: number;
  crc32: string;
  store: string;
  key: string;
}

/** Names a kept blob and its copy in the database. @returns whether it is new */
export async function insertBlob(tx: Executor, blob: NewBlob): Promise<boolean> {
  const { affectedRows } = await change(
    tx,
    'INSERT IGNORE INTO blobs (sha256, bytes, crc32) VALUES (?, ?, ?)',
    [blob.sha256, blob.bytes, blob.crc32],
  );
  if (affectedRows === 0) return false;
  await change(tx, 'INSERT IGNORE INTO copies (sha256, store, store_key) VALUES (?, ?, ?)', [
    blob.sha256,
    blob.store,
    blob.key,
  ]);
  return true;
}

export interface CopyRow {
  sha256: string;
  store: string;
  store_key: string;
}

/** Lists where the bytes are kept. */
export async function findCopies(db: Executor, digests: readonly string[]): Promise<CopyRow[]> {
  if (digests.length === 0) return [];
  return selectExpanded<CopyRow>(
    db,
    'SELECT sha256, store, store_key FROM copies WHERE sha256 IN (?) ORDER BY sha256, store',
    [digests],
  );
}

/** The columns that an edit may set; absent ones stay. */
export interface AssetEdit extends Partial<AssetTexts> {
  name?: string;
  addressStem?: string;
  folderId?: string;
  capturedAt?: string | null;
  focal?: FocalPoint | null;
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
  set('keywords', edit.keywords && JSON.stringify(edit.keywords));
  set('captured_at', edit.capturedAt && new Date(edit.capturedAt));
  set('focal_x', edit.focal === undefined ? undefined : (edit.focal?.x ?? null));
  set('focal_y', edit.focal === undefined ? undefined : (edit.focal?.y ?? null));
  const assignments = columns.map(([column]) => `${column} = ?, `).join('');
  await change(
    tx,
    `UPDATE assets SET ${assignments} revision = revision + 1, updated_at = NOW(3) WHERE id = ?`,
    [...columns.map(([, value]) => value), id],
  );
}

/** Moves an asset into the bin. */
export async function binAsset(tx: Executor, id: string): Promise<void> {
  await change(
    tx,
    'UPDATE assets SET live = NULL, deleted_at = NOW(3), updated_at = NOW(3), revision = revision + 1 WHERE id = ?',
    [id],
  );
}

/** Takes an asset out of the bin, under a name that is free. */
export async function unbinAsset(
  tx: Executor,
  id: string,
  { name, addressStem }: { name: string; addressStem: string },
): Promise<void> {
  await change(
    tx,
    'UPDATE assets SET live = 1, deleted_at = NULL, name = ?, address_stem = ?, updated_at = NOW(3), revision = revision + 1 WHERE id = ?',
    [name, addressStem, id],
  );
}

export async function updatePlaceholder(tx: Executor, id: string, placeholder: string): Promise<void> {
  await change(tx, 'UPDATE assets SET placeholder = ? WHERE id = ?', [placeholder, id]);
}

export interface VersionRow {
  n: number;
  sha256: string;
  bytes: number;
  mime: string;
  width: number | null;
  height: number | null;
  made_by: string;
  created_at: Date;
}

/** Lists the versions of an asset, newest first. */
export async function listVersions(db: Executor, id: string): Promise<VersionRow[]> {
  return select<VersionRow>(
    db,
    `SELECT n, sha256, bytes, mime, width, height, made_by, created_at
     FROM asset_versions
     WHERE asset_id = ?
     ORDER BY n DESC
     LIMIT 1000`,
    [id],
  );
}
