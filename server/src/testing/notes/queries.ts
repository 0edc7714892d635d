import {
  change,
  changeExpanded,
  type Executor,
  select,
  selectExpanded,
  selectOne,
} from '../../shared/database.js';

/** Replaces a migration: the example is not part of the product. */
export async function createNotesTable(db: Executor): Promise<void> {
  await change(
    db,
    'CREATE TABLE IF NOT EXISTS asset_notes (asset_id BIGINT UNSIGNED PRIMARY KEY, note VARCHAR(500) NOT NULL)',
  );
}

export async function readNotes(db: Executor, assetIds: readonly number[]): Promise<Map<number, string>> {
  if (assetIds.length === 0) return new Map();
  const rows = await selectExpanded<{ asset_id: number; note: string }>(
    db,
    'SELECT asset_id, note FROM asset_notes WHERE asset_id IN (?) ORDER BY asset_id',
    [assetIds],
  );
  return new Map(rows.map(({ asset_id, note }) => [asset_id, note]));
}

/** Replaces the note of an asset; null deletes it. */
export async function writeNote(tx: Executor, assetId: string, note: string | null): Promise<void> {
  if (note === null) await change(tx, 'DELETE FROM asset_notes WHERE asset_id = ?', [assetId]);
  else await change(tx, 'REPLACE INTO asset_notes (asset_id, note) VALUES (?, ?)', [assetId, note]);
}

export async function deleteNotes(tx: Executor, assetIds: readonly string[]): Promise<number> {
  if (assetIds.length === 0) return 0;
  return (await changeExpanded(tx, 'DELETE FROM asset_notes WHERE asset_id IN (?)', [assetIds])).affectedRows;
}

export async function countNotes(db: Executor): Promise<number> {
  return (await selectOne<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM asset_notes'))?.n ?? 0;
}

/** Lists notes whose assets no longer exist. */
export async function listOrphans(db: Executor): Promise<string[]> {
  const rows = await select<{ asset_id: number }>(
    db,
    `SELECT asset_id FROM asset_notes
     WHERE NOT EXISTS (SELECT 1 FROM assets WHERE assets.id = asset_notes.asset_id) ORDER BY asset_id LIMIT 1000`,
  );
  return rows.map(({ asset_id }) => String(asset_id));
}
