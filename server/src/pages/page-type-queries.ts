import { change, type Executor, select, selectOne, type Transaction, writeJson } from '../shared/database.js';
import type { PageType } from './site-page.js';

interface TypeRow {
  name: string;
  title: string;
  slots: string;
  regions: string;
  revision: number;
}

const COLUMNS = 'name, title, slots, regions, revision';

function toType({ slots, regions, ...row }: TypeRow): PageType {
  return { ...row, slots: JSON.parse(slots), regions: JSON.parse(regions) };
}

export async function listPageTypes(db: Executor): Promise<PageType[]> {
  return (await select<TypeRow>(db, `SELECT ${COLUMNS} FROM page_types ORDER BY name LIMIT 1000`)).map(
    toType,
  );
}

export async function findPageType(db: Executor, name: string): Promise<PageType | null> {
  const row = await selectOne<TypeRow>(db, `SELECT ${COLUMNS} FROM page_types WHERE name = ?`, [name]);
  return row && toType(row);
}

/** Creates a type, or replaces it. */
export async function putPageType(
  tx: Transaction,
  { name, title, slots, regions }: Omit<PageType, 'revision'>,
): Promise<void> {
  await change(
    tx,
    `INSERT INTO page_types (name, title, slots, regions) VALUES (?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE title = VALUES(title), slots = VALUES(slots), regions = VALUES(regions), revision = revision + 1`,
    [name, title, writeJson(slots), writeJson(regions)],
  );
}

export async function countPagesOfType(db: Executor, name: string): Promise<number> {
  const row = await selectOne<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM site_pages WHERE type = ?', [
    name,
  ]);
  return row?.n ?? 0;
}

export async function deletePageType(tx: Transaction, name: string): Promise<void> {
  await change(tx, 'DELETE FROM page_types WHERE name = ?', [name]);
}
