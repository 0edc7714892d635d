import { change, changeExpanded, type Executor } from '../shared/database.js';

/** Records the keywords by which assets are found. */
export async function insertKeywords(
  tx: Executor,
  assets: readonly { id: string; keywords: readonly string[] }[],
): Promise<void> {
  const rows = assets.flatMap(({ id, keywords }) => keywords.map((word) => [word.slice(0, 100), id]));
  if (rows.length === 0) return;
  await changeExpanded(tx, 'INSERT IGNORE INTO asset_keywords (keyword, asset_id) VALUES ?', [rows]);
}

/** Replaces the keywords by which an asset is found. */
export async function replaceKeywords(tx: Executor, id: string, keywords: readonly string[]): Promise<void> {
  await change(tx, 'DELETE FROM asset_keywords WHERE asset_id = ?', [id]);
  await insertKeywords(tx, [{ id, keywords }]);
}
