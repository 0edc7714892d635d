import { change, type Executor, isoTime, refuseDuplicate, select } from '../shared/database.js';

interface SavedRow {
  id: number;
  name: string;
  q: string;
  made_by: string;
  created_at: Date;
}

function toSaved({ id, name, q, made_by, created_at }: SavedRow) {
  return { id: String(id), name, q, by: made_by, createdAt: isoTime(created_at) };
}

/** Lists the saved filters by name, or the one with an id. */
export async function listSaved(
  db: Executor,
  id: string | null = null,
): Promise<ReturnType<typeof toSaved>[]> {
  const rows = await select<SavedRow>(
    db,
    `SELECT id, name, q, made_by, created_at FROM saved_filters ${id === null ? '' : 'WHERE id = ?'} ORDER BY name LIMIT 1000`,
    id === null ? [] : [id],
  );
  return rows.map(toSaved);
}

/** Saves a filter. @returns its id @throws UniferumError `conflict` when the name is taken */
export async function insertSaved(db: Executor, name: string, q: string, by: string): Promise<string> {
  const { insertId } = await change(db, 'INSERT INTO saved_filters (name, q, made_by) VALUES (?, ?, ?)', [
    name,
    q,
    by,
  ]).catch(refuseDuplicate(`There is a saved filter "${name}" already. Choose another name.`));
  return String(insertId);
}

/** Deletes a saved filter. @returns whether it existed */
export async function deleteSaved(db: Executor, id: string): Promise<boolean> {
  return (await change(db, 'DELETE FROM saved_filters WHERE id = ?', [id])).affectedRows > 0;
}
