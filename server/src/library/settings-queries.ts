import { DEFAULT_MAPPING, type MetadataMapping } from '@uniferum/core/library';
import { change, type Executor, selectOne, writeJson } from '../shared/database.js';

const MAPPING = 'metadata-mapping';

/** Reads which embedded fields fill which texts. */
export async function readMapping(db: Executor): Promise<MetadataMapping> {
  const row = await selectOne<{ value: string }>(db, 'SELECT value FROM settings WHERE name = ?', [MAPPING]);
  return row === null ? DEFAULT_MAPPING : { ...DEFAULT_MAPPING, ...JSON.parse(row.value) };
}

export async function writeMapping(db: Executor, mapping: MetadataMapping, by: string): Promise<void> {
  await change(
    db,
    `INSERT INTO settings (name, value, updated_by) VALUES (?, ?, ?)
     ON DUPLICATE KEY UPDATE value = VALUES(value), updated_by = VALUES(updated_by), updated_at = NOW(3)`,
    [MAPPING, writeJson(mapping), by],
  );
}
