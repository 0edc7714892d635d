import { change, type Executor, NEXT_SECOND, select, selectExpanded, selectOne } from '../shared/database.js';

export interface VersionRow {
  n: number;
  sha256: string;
  bytes: number;
  mime: string;
  width: number | null;
  height: number | null;
  orientation: number | null;
  /** The version that it restored. */
  restored_from: number | null;
  /** The version that it is an optimised form of. */
  optimised_from: number | null;
  made_by: string;
  created_at: Date;
}

const VERSION_COLUMNS =
  'n, sha256, bytes, mime, width, height, orientation, restored_from, optimised_from, made_by, created_at';

/** Lists the versions of an asset, newest first. */
export async function listVersions(db: Executor, id: string): Promise<VersionRow[]> {
  return select<VersionRow>(
    db,
    `SELECT ${VERSION_COLUMNS} FROM asset_versions WHERE asset_id = ? ORDER BY n DESC LIMIT 1000`,
    [id],
  );
}

/** Lists the versions of several assets. */
export async function findVersionsOf(
  db: Executor,
  ids: readonly number[],
): Promise<{ asset_id: number; n: number; sha256: string; bytes: number; mime: string }[]> {
  if (ids.length === 0) return [];
  return selectExpanded(
    db,
    'SELECT asset_id, n, sha256, bytes, mime FROM asset_versions WHERE asset_id IN (?) ORDER BY asset_id, n',
    [ids],
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
    `INSERT INTO asset_versions (asset_id, n, sha256, bytes, mime, width, height, orientation, restored_from, optimised_from, made_by)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
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
      version.optimised_from,
      version.made_by,
    ],
  );
}

/** Sets an asset's bytes to those of a version; data derived from the old ones is deleted unless they look the same. */
export async function updateContent(
  tx: Executor,
  id: string,
  version: Pick<VersionRow, 'n' | 'sha256' | 'bytes' | 'mime' | 'width' | 'height' | 'orientation'>,
  { looksTheSame = false } = {},
): Promise<void> {
  await change(
    tx,
    `UPDATE assets
     SET version = ?, sha256 = ?, bytes = ?, mime = ?, width = ?, height = ?, orientation = ?, phash = IF(?, phash, NULL),
         placeholder = IF(kind IN ('image', 'vector'), placeholder, NULL),
         revision = revision + 1, updated_at = GREATEST(${NEXT_SECOND}, updated_at + INTERVAL 1 SECOND)
     WHERE id = ?`,
    [
      version.n,
      version.sha256,
      version.bytes,
      version.mime,
      version.width,
      version.height,
      version.orientation,
      looksTheSame,
      id,
    ],
  );
}

/** Records how an asset's file is optimised; null for not at all. */
export async function updateOptimise(tx: Executor, id: string, mode: string | null): Promise<void> {
  await change(tx, 'UPDATE assets SET optimise = ? WHERE id = ?', [mode, id]);
}

/** The total saved by optimising: of current versions that are optimised forms of others. */
export async function sumOptimised(db: Executor): Promise<{ files: number; before: number; after: number }> {
  const row = await selectOne<{ files: number; before_bytes: number | null; after_bytes: number | null }>(
    db,
    `SELECT COUNT(*) AS files, SUM(original.bytes) AS before_bytes, SUM(smaller.bytes) AS after_bytes
     FROM asset_versions AS smaller
     JOIN assets ON assets.id = smaller.asset_id AND assets.version = smaller.n AND assets.live = 1
     JOIN asset_versions AS original ON original.asset_id = smaller.asset_id AND original.n = smaller.optimised_from
     WHERE smaller.optimised_from IS NOT NULL`,
  );
  return {
    files: Number(row?.files ?? 0),
    before: Number(row?.before_bytes ?? 0),
    after: Number(row?.after_bytes ?? 0),
  };
}
