import { type Executor, selectExpanded, selectOne } from '../shared/database.js';

/** Finds the live asset with a name in a folder; null when the name is free. */
export async function findNameHolder(db: Executor, folderId: string, name: string): Promise<string | null> {
  const row = await selectOne<{ id: number }>(
    db,
    'SELECT id FROM assets WHERE folder_id = ? AND live = 1 AND name = ?',
    [folderId, name],
  );
  return row && String(row.id);
}

/** Finds the live asset of a folder whose renditions use a stem; null when the stem is free. */
export async function findStemHolder(db: Executor, folderId: string, stem: string): Promise<string | null> {
  const row = await selectOne<{ id: number }>(
    db,
    'SELECT id FROM assets WHERE folder_id = ? AND live = 1 AND address_stem = ?',
    [folderId, stem],
  );
  return row && String(row.id);
}

/** Finds which of the given words are names, and which are stems, of live assets of a folder. */
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
