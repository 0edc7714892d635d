import type { AssetTexts, FocalPoint, Kind, LinkFacts, Verdict } from '@uniferum/core';
import {
  change,
  changeExpanded,
  type Executor,
  type SqlValue,
  select,
  selectExpanded,
  selectOne,
} from '../shared/database.js';
import { addToTally } from './tallies.js';

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
  link: string | null;
  phash: string | null;
  intake_id: number | null;
  origin_by: string;
  origin_via: 'console' | 'api';
  sent_as: string;
  verdict: string;
  revision: number;
  created_at: Date;
  updated_at: Date;
  deleted_at: Date | null;
}

/** The texts of an asset, as answers and rules have them. */
export function textsOf(
  row: Pick<AssetRow, 'title' | 'alt' | 'caption' | 'credit' | 'keywords'>,
): AssetTexts {
  const { title, alt, caption, credit, keywords } = row;
  return { title, alt, caption, credit, keywords: JSON.parse(keywords) };
}

const SELECT_ASSETS = `
  SELECT assets.id, assets.folder_id, folders.path AS folder_path, assets.name, assets.address_stem, assets.live, assets.kind,
         assets.mime, assets.sha256, blobs.crc32, assets.version, assets.bytes, assets.width, assets.height, assets.orientation,
         assets.duration, assets.title, assets.alt, assets.caption, assets.credit, assets.keywords, assets.captured_at,
         assets.focal_x, assets.focal_y, assets.placeholder, assets.link, assets.phash, assets.intake_id, assets.origin_by, assets.origin_via,
         assets.sent_as, assets.verdict, assets.revision, assets.created_at, assets.updated_at, assets.deleted_at
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

/** Finds, for each digest, the oldest live asset that holds these bytes. */
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

/** Finds out which of the given words are names, and which are stems, of live assets of a folder. */
export async function findHolders(
  db: Executor,
  folderId: string,
  words: readonly string[],
): Promise<{ names: Set<string>; stems: Set<string> }> {
  const names = await selectExpanded<{ name: string }>(
    db,
    'SELECT name FROM assets WHERE folder_id = ? AND live = 1 AND name IN (?)',
    [folderId, words],
  );
  const stems = await selectExpanded<{ address_stem: string }>(
    db,
    'SELECT address_stem FROM assets WHERE folder_id = ? AND live = 1 AND address_stem IN (?)',
    [folderId, words],
  );
  return {
    names: new Set(names.map(({ name }) => name)),
    stems: new Set(stems.map(({ address_stem }) => address_stem)),
  };
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
  link: LinkFacts | null;
  intakeId: string | null;
  by: string;
  via: 'console' | 'api';
  sentAs: string;
  verdict: Verdict;
  createdAt: Date;
}

/** Writes new assets with their first versions and keywords. @returns their ids, in their order */
export async function insertAssets(tx: Executor, assets: readonly NewAsset[]): Promise<string[]> {
  if (assets.length === 0) return [];
  // One statement takes one range of ids: innodb_autoinc_lock_mode 1 and 2 both give it without gaps.
  const { insertId } = await changeExpanded(
    tx,
    `INSERT INTO assets (folder_id, name, address_stem, kind, mime, sha256, bytes, width, height, orientation, title, alt, caption,
                         credit, keywords, captured_at, link, intake_id, origin_by, origin_via, sent_as, verdict, created_at)
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
        JSON.stringify(asset.keywords),
        asset.capturedAt === null ? null : new Date(asset.capturedAt),
        asset.link && JSON.stringify(asset.link),
        asset.intakeId,
        asset.by,
        asset.via,
        asset.sentAs,
        JSON.stringify(asset.verdict),
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

/** Counts live assets that begin (1) or cease (-1) to hold blobs. */
export async function countHolders(tx: Executor, digests: readonly string[], sign: 1 | -1): Promise<void> {
  const counts = new Map<string, number>();
  for (const sha256 of digests) counts.set(sha256, (counts.get(sha256) ?? 0) + sign);
  const byChange = new Map<number, string[]>();
  for (const [sha256, difference] of counts)
    byChange.set(difference, [...(byChange.get(difference) ?? []), sha256]);
  for (const [difference, some] of byChange)
    await changeExpanded(tx, 'UPDATE blobs SET holders = holders + ? WHERE sha256 IN (?)', [
      difference,
      some.sort(),
    ]);
}

/** Writes down under which keywords assets are found. */
export async function insertKeywords(
  tx: Executor,
  assets: readonly { id: string; keywords: readonly string[] }[],
): Promise<void> {
  const rows = assets.flatMap(({ id, keywords }) => keywords.map((word) => [word.slice(0, 100), id]));
  if (rows.length === 0) return;
  await changeExpanded(tx, 'INSERT IGNORE INTO asset_keywords (keyword, asset_id) VALUES ?', [rows]);
}

/** Replaces the keywords under which an asset is found. */
export async function replaceKeywords(tx: Executor, id: string, keywords: readonly string[]): Promise<void> {
  await change(tx, 'DELETE FROM asset_keywords WHERE asset_id = ?', [id]);
  await insertKeywords(tx, [{ id, keywords }]);
}

/** A kept blob, and where it is kept. */
export interface NewBlob {
  sha256: string;
  bytes: number;
  crc32: string;
  store: string;
  key: string;
}

/** Names kept blobs and their copies; what is named already stays. */
export async function insertBlobs(tx: Executor, blobs: readonly NewBlob[]): Promise<void> {
  await changeExpanded(tx, 'INSERT IGNORE INTO blobs (sha256, bytes, crc32) VALUES ?', [
    blobs.map(({ sha256, bytes, crc32 }) => [sha256, bytes, crc32]),
  ]);
  await changeExpanded(tx, 'INSERT IGNORE INTO copies (sha256, store, store_key) VALUES ?', [
    blobs.map(({ sha256, store, key }) => [sha256, store, key]),
  ]);
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
  orientation: number | null;
  /** The version that it brought back. */
  restored_from: number | null;
  made_by: string;
  created_at: Date;
}

const VERSION_COLUMNS =
  'n, sha256, bytes, mime, width, height, orientation, restored_from, made_by, created_at';

/** Lists the versions of an asset, newest first. */
export async function listVersions(db: Executor, id: string): Promise<VersionRow[]> {
  return select<VersionRow>(
    db,
    `SELECT ${VERSION_COLUMNS} FROM asset_versions WHERE asset_id = ? ORDER BY n DESC LIMIT 1000`,
    [id],
  );
}

export async function findVersion(db: Executor, id: string, n: number): Promise<VersionRow | null> {
  return selectOne<VersionRow>(
    db,
    `SELECT ${VERSION_COLUMNS} FROM asset_versions WHERE asset_id = ? AND n = ?`,
    [id, n],
  );
}

export async function insertVersion(
  tx: Executor,
  id: string,
  version: Omit<VersionRow, 'created_at'>,
): Promise<void> {
  await change(
    tx,
    `INSERT INTO asset_versions (asset_id, n, sha256, bytes, mime, width, height, orientation, restored_from, made_by)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    [
      id,
      version.n,
      version.sha256,
      version.bytes,
      version.mime,
      version.width,
      version.height,
      version.orientation,
      version.restored_from,
      version.made_by,
    ],
  );
}

/** Gives an asset the bytes of a version; what was seen in the old ones is forgotten. */
export async function updateContent(
  tx: Executor,
  id: string,
  version: Pick<VersionRow, 'n' | 'sha256' | 'bytes' | 'mime' | 'width' | 'height' | 'orientation'>,
): Promise<void> {
  await change(
    tx,
    `UPDATE assets
     SET version = ?, sha256 = ?, bytes = ?, mime = ?, width = ?, height = ?, orientation = ?, phash = NULL,
         revision = revision + 1, updated_at = NOW(3)
     WHERE id = ?`,
    [
      version.n,
      version.sha256,
      version.bytes,
      version.mime,
      version.width,
      version.height,
      version.orientation,
      id,
    ],
  );
}

/** Reads one page of the bin, what was put there last first, with one more than `limit`. */
export async function listBinned(
  db: Executor,
  { limit, before }: { limit: number; before: { at: Date; id: number } | null },
): Promise<AssetRow[]> {
  const position = before ? 'AND (assets.deleted_at < ? OR (assets.deleted_at = ? AND assets.id < ?))' : '';
  const values = before ? [before.at, before.at, before.id] : [];
  return select<AssetRow>(
    db,
    `${SELECT_ASSETS} WHERE assets.deleted_at IS NOT NULL ${position} ORDER BY assets.deleted_at DESC, assets.id DESC LIMIT ?`,
    [...values, limit + 1],
  );
}

/** Counts what is in the bin, and its bytes. */
export async function countBinned(db: Executor): Promise<{ items: number; bytes: number }> {
  const row = await selectOne<{ items: number; bytes: number | string | null }>(
    db,
    'SELECT COUNT(*) AS items, SUM(bytes) AS bytes FROM assets WHERE deleted_at IS NOT NULL',
  );
  return { items: row?.items ?? 0, bytes: Number(row?.bytes ?? 0) };
}

/** Lists the ids of what is in the bin, all of it or what has been there since before a moment. */
export async function listBinnedIds(db: Executor, before: Date | null): Promise<string[]> {
  const rows = await select<{ id: number }>(
    db,
    `SELECT id FROM assets WHERE deleted_at IS NOT NULL ${before ? 'AND deleted_at < ?' : ''} ORDER BY id LIMIT 1000000`,
    before ? [before] : [],
  );
  return rows.map(({ id }) => String(id));
}

/** Holds assets until the transaction ends, also those in the bin, and reads them. */
export async function holdAssets(tx: Executor, ids: readonly string[]): Promise<AssetRow[]> {
  if (ids.length === 0) return [];
  await selectExpanded(tx, 'SELECT id FROM assets WHERE id IN (?) ORDER BY id FOR UPDATE', [ids]);
  return findAssets(tx, ids.map(Number));
}

/** Forgets assets of the bin for good. Their bytes go with the next sweep, unless another asset holds them. */
export async function purgeAssets(tx: Executor, ids: readonly string[]): Promise<void> {
  if (ids.length === 0) return;
  await changeExpanded(tx, 'DELETE FROM asset_versions WHERE asset_id IN (?)', [ids]);
  await changeExpanded(tx, 'DELETE FROM renditions WHERE asset_id IN (?)', [ids]);
  await changeExpanded(tx, 'DELETE FROM asset_keywords WHERE asset_id IN (?)', [ids]);
  await changeExpanded(tx, 'DELETE FROM asset_bands WHERE asset_id IN (?)', [ids]);
  await changeExpanded(tx, 'DELETE FROM similar_pairs WHERE a IN (?) OR b IN (?)', [ids, ids]);
  await changeExpanded(tx, 'DELETE FROM assets WHERE id IN (?) AND live IS NULL', [ids]);
}

/** Tells whether a version, a rendition or an archive that is being unpacked holds these bytes. */
export async function isBlobNamed(db: Executor, sha256: string): Promise<boolean> {
  const row = await selectOne(
    db,
    `SELECT 1 FROM asset_versions WHERE sha256 = ?
     UNION ALL SELECT 1 FROM renditions WHERE sha256 = ?
     UNION ALL SELECT 1 FROM intakes JOIN runs ON runs.id = intakes.run_id
       WHERE intakes.archive = ? AND runs.state IN ('waiting', 'working', 'stopping', 'stopped')
     LIMIT 1`,
    [sha256, sha256, sha256],
  );
  return row !== null;
}

/** Forgets bytes and where they are kept. */
export async function deleteBlob(tx: Executor, sha256: string): Promise<void> {
  const copies = await findCopies(tx, [sha256]);
  const blob = await selectOne<{ bytes: number }>(tx, 'SELECT bytes FROM blobs WHERE sha256 = ?', [sha256]);
  await change(tx, 'DELETE FROM copies WHERE sha256 = ?', [sha256]);
  await change(tx, 'DELETE FROM blobs WHERE sha256 = ?', [sha256]);
  for (const { store } of copies)
    await addToTally(tx, 'store', store, { items: -1, bytes: -(blob?.bytes ?? 0) });
}

/** Lists bytes that nothing holds, as far as can be told without holding them. */
export async function listUnnamedBlobs(
  db: Executor,
  { minAgeHours, limit }: { minAgeHours: number; limit: number },
): Promise<string[]> {
  const rows = await select<{ sha256: string }>(
    db,
    `SELECT sha256 FROM blobs
     WHERE holders = 0 AND created_at < NOW(3) - INTERVAL ? HOUR
       AND NOT EXISTS (SELECT 1 FROM asset_versions WHERE asset_versions.sha256 = blobs.sha256)
       AND NOT EXISTS (SELECT 1 FROM renditions WHERE renditions.sha256 = blobs.sha256)
     ORDER BY sha256
     LIMIT ?`,
    [minAgeHours, limit],
  );
  return rows.map(({ sha256 }) => sha256);
}

/** Holds the record of bytes until the transaction ends. */
export async function lockBlob(tx: Executor, sha256: string): Promise<void> {
  await selectOne(tx, 'SELECT sha256 FROM blobs WHERE sha256 = ? FOR UPDATE', [sha256]);
}

/** A live asset as far as rules judge it. */
export interface PresentRow {
  id: number;
  name: string;
  bytes: number;
  mime: string;
  width: number | null;
  height: number | null;
  title: string | null;
  alt: string | null;
  caption: string | null;
  credit: string | null;
  keywords: string;
}

const PRESENT_ROWS = 5000;

/** Reads the live assets of a folder in the order in which they came. */
export async function* readPresent(db: Executor, folderId: string): AsyncGenerator<PresentRow> {
  for (let after = 0; ; ) {
    const rows = await select<PresentRow>(
      db,
      `SELECT id, name, bytes, mime, width, height, title, alt, caption, credit, keywords
       FROM assets
       WHERE folder_id = ? AND live = 1 AND id > ?
       ORDER BY id
       LIMIT ?`,
      [folderId, after, PRESENT_ROWS],
    );
    yield* rows;
    const last = rows.at(-1);
    if (!last || rows.length < PRESENT_ROWS) return;
    after = last.id;
  }
}
