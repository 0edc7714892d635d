import { change, type Executor, select, selectOne, type Transaction } from '../shared/database.js';

/** A picture requested through a signed or IIIF URL. */
export interface PictureOnRequest {
  digest: string;
  asset_id: number;
  sha256: string;
  mime: string;
  width: number;
  height: number;
  bytes: number;
}

const COLUMNS = 'digest, asset_id, sha256, mime, width, height, bytes';

/** Finds a stored picture, and records, once an hour, that it is still used. */
export async function findPicture(db: Executor, digest: string): Promise<PictureOnRequest | null> {
  const row = await selectOne<PictureOnRequest & { is_stale: number }>(
    db,
    `SELECT ${COLUMNS}, used_at < NOW(3) - INTERVAL 1 HOUR AS is_stale FROM pictures_on_request WHERE digest = ?`,
    [digest],
  );
  if (row?.is_stale)
    await change(db, 'UPDATE pictures_on_request SET used_at = NOW(3) WHERE digest = ?', [digest]);
  return row;
}

export async function insertPicture(tx: Transaction, picture: PictureOnRequest): Promise<void> {
  const { digest, asset_id, sha256, mime, width, height, bytes } = picture;
  await change(tx, `INSERT IGNORE INTO pictures_on_request (${COLUMNS}) VALUES (?, ?, ?, ?, ?, ?, ?)`, [
    digest,
    asset_id,
    sha256,
    mime,
    width,
    height,
    bytes,
  ]);
}

/** Deletes the least recently used pictures until the rest fits into a number of bytes. @returns how many */
export async function shrinkPictures(db: Executor, maxBytes: number): Promise<number> {
  const row = await selectOne<{ bytes: number | null }>(
    db,
    'SELECT SUM(bytes) AS bytes FROM pictures_on_request',
  );
  let excess = Number(row?.bytes ?? 0) - maxBytes;
  let forgotten = 0;
  while (excess > 0) {
    const oldest = await select<{ digest: string; bytes: number }>(
      db,
      'SELECT digest, bytes FROM pictures_on_request ORDER BY used_at LIMIT 200',
    );
    if (oldest.length === 0) break;
    for (const { digest, bytes } of oldest) {
      if (excess <= 0) break;
      await change(db, 'DELETE FROM pictures_on_request WHERE digest = ?', [digest]);
      excess -= bytes;
      forgotten += 1;
    }
  }
  return forgotten;
}
