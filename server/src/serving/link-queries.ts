import { change, type Executor, select, selectOne, type Transaction } from '../shared/database.js';

export interface LinkRow {
  id: number;
  asset_id: number;
  recipe: string;
  variant: string;
  expires_at: Date;
  max_downloads: number | null;
  downloads: number;
  last_at: Date | null;
  made_by: string;
  created_at: Date;
}

const COLUMNS =
  'id, asset_id, recipe, variant, expires_at, max_downloads, downloads, last_at, made_by, created_at';

export async function insertLink(
  tx: Transaction,
  link: Pick<LinkRow, 'recipe' | 'variant' | 'expires_at' | 'max_downloads' | 'made_by'> & {
    asset: string;
    token: string;
  },
): Promise<number> {
  const { insertId } = await change(
    tx,
    `INSERT INTO asset_links (token, asset_id, recipe, variant, expires_at, max_downloads, made_by)
     VALUES (?, ?, ?, ?, ?, ?, ?)`,
    [
      ...[link.token, link.asset, link.recipe, link.variant],
      ...[link.expires_at, link.max_downloads, link.made_by],
    ],
  );
  return insertId;
}

/** Lists the links to an asset that have not expired, the newest first. */
export async function listLinks(db: Executor, asset: string): Promise<LinkRow[]> {
  return select<LinkRow>(
    db,
    `SELECT ${COLUMNS} FROM asset_links WHERE asset_id = ? AND expires_at > NOW(3) ORDER BY id DESC LIMIT 1000`,
    [asset],
  );
}

/** Finds a link that has not expired, by the digest of its token. */
export async function findLink(db: Executor, token: string): Promise<LinkRow | null> {
  return selectOne<LinkRow>(
    db,
    `SELECT ${COLUMNS} FROM asset_links WHERE token = ? AND expires_at > NOW(3)`,
    [token],
  );
}

/** Counts a download, unless that would be one too many. @returns whether it was counted */
export async function countDownload(db: Executor, id: number, bytes: number): Promise<boolean> {
  const { affectedRows } = await change(
    db,
    `UPDATE asset_links SET downloads = downloads + 1, asked_bytes = asked_bytes + ?, last_at = NOW(3)
     WHERE id = ? AND expires_at > NOW(3) AND (max_downloads IS NULL OR downloads < max_downloads)`,
    [bytes, id],
  );
  return affectedRows > 0;
}

/**
 * Counts a part as one of the downloads that were counted already, if they leave room for it.
 *
 * @param room how many bytes one download may ask for, in all its parts
 * @returns whether it was counted
 */
export async function countPart(
  db: Executor,
  id: number,
  { bytes, room, withinMs }: { bytes: number; room: number; withinMs: number },
): Promise<boolean> {
  const { affectedRows } = await change(
    db,
    `UPDATE asset_links SET asked_bytes = asked_bytes + ?
     WHERE id = ? AND expires_at > NOW(3) AND last_at > NOW(3) - INTERVAL ? MICROSECOND
       AND asked_bytes + ? <= downloads * ?`,
    [bytes, id, withinMs * 1000, bytes, room],
  );
  return affectedRows > 0;
}

export async function deleteLink(tx: Transaction, asset: string, id: string): Promise<boolean> {
  const { affectedRows } = await change(tx, 'DELETE FROM asset_links WHERE asset_id = ? AND id = ?', [
    asset,
    id,
  ]);
  return affectedRows > 0;
}

/** Deletes the links of purged assets. */
export async function deleteLinksOf(tx: Transaction, ids: readonly string[]): Promise<void> {
  for (const id of ids) await change(tx, 'DELETE FROM asset_links WHERE asset_id = ?', [id]);
}

/** Deletes links that expired a while ago. @returns how many */
export async function deleteExpiredLinks(db: Executor): Promise<number> {
  const { affectedRows } = await change(
    db,
    'DELETE FROM asset_links WHERE expires_at < NOW(3) - INTERVAL 30 DAY LIMIT 1000',
  );
  return affectedRows;
}
