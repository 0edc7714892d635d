import type { SourceKind } from '@uniferum/core/pages';
import {
  change,
  type Executor,
  refuseDuplicate,
  select,
  selectOne,
  type Transaction,
  writeJson,
} from '../shared/database.js';
import type { PageSource } from './source.js';

interface SourceRow {
  id: number;
  kind: SourceKind;
  name: string;
  settings: string;
  secret: string | null;
  secret_set_at: Date | null;
  revision: number;
  indexed_at: Date | null;
}

/** What is known about a source after indexing. */
export interface SourceFigures {
  documents: number;
  references: number;
  broken: number;
}

const COLUMNS = 'id, kind, name, settings, secret, secret_set_at, revision, indexed_at';

/** A source as it is stored; a secret that is undefined is left as it is. */
export type SourceToStore = Pick<PageSource, 'kind' | 'name' | 'settings'> & { secret?: string | null };

function toSource(row: SourceRow): PageSource {
  const { id, kind, name, settings, secret, secret_set_at, revision, indexed_at } = row;
  // Those that were stored by an older version lack what came later.
  const all = { ...ADDED_LATER[kind], ...JSON.parse(settings) };
  return {
    ...{ id: String(id), kind, name, settings: all, secret, revision },
    secretSetAt: secret_set_at,
    indexedAt: indexed_at,
  } as PageSource;
}

const ADDED_LATER: Record<SourceKind, object> = {
  ...{ pages: {}, database: {}, site: {} },
  folder: { watched: false },
};

export async function listSources(db: Executor): Promise<PageSource[]> {
  const rows = await select<SourceRow>(
    db,
    `SELECT ${COLUMNS} FROM page_sources ORDER BY name, id LIMIT 1000`,
  );
  return rows.map(toSource);
}

export async function findSource(
  db: Executor,
  id: string,
  { lock = false } = {},
): Promise<PageSource | null> {
  const row = await selectOne<SourceRow>(
    db,
    `SELECT ${COLUMNS} FROM page_sources WHERE id = ?${lock ? ' FOR UPDATE' : ''}`,
    [id],
  );
  return row && toSource(row);
}

/** @throws UniferumError `conflict` when another source has the name */
export async function insertSource(
  tx: Transaction,
  { kind, name, settings, secret = null }: SourceToStore,
): Promise<string> {
  const { insertId } = await change(
    tx,
    `INSERT INTO page_sources (kind, name, settings, secret, secret_set_at)
     VALUES (?, ?, ?, ?, IF(secret IS NULL, NULL, NOW(3)))`,
    [kind, name, writeJson(settings), secret],
  ).catch(refuseTaken(name));
  return String(insertId);
}

/** @throws UniferumError `conflict` when another source has the name */
export async function updateSource(
  tx: Transaction,
  id: string,
  { name, settings, secret }: Omit<SourceToStore, 'kind'>,
): Promise<void> {
  await change(tx, 'UPDATE page_sources SET name = ?, settings = ?, revision = revision + 1 WHERE id = ?', [
    name,
    writeJson(settings),
    id,
  ]).catch(refuseTaken(name));
  if (secret !== undefined)
    await change(
      tx,
      'UPDATE page_sources SET secret = ?, secret_set_at = IF(secret IS NULL, NULL, NOW(3)) WHERE id = ?',
      [secret, id],
    );
}

/** Finds the source of the pages that are kept here. */
export async function findPagesSource(db: Executor): Promise<PageSource<'pages'>> {
  const row = await selectOne<SourceRow>(
    db,
    `SELECT ${COLUMNS} FROM page_sources WHERE kind = 'pages' ORDER BY id LIMIT 1`,
  );
  if (row === null) throw new Error('Expected the source of pages, which a migration adds');
  return toSource(row) as PageSource<'pages'>;
}

export async function deleteSource(tx: Transaction, id: string): Promise<void> {
  await change(tx, 'DELETE FROM page_sources WHERE id = ?', [id]);
}

export async function updateIndexedAt(tx: Executor, id: string): Promise<boolean> {
  const { affectedRows } = await change(tx, 'UPDATE page_sources SET indexed_at = NOW(3) WHERE id = ?', [id]);
  return affectedRows > 0;
}

/** Reads the figures of all sources, by id. */
export async function readFigures(db: Executor): Promise<Map<string, SourceFigures>> {
  const documents = await select<{ source_id: number; documents: number; addresses: number | string }>(
    db,
    `SELECT source_id, COUNT(*) AS documents, SUM(address_count) AS addresses
     FROM page_documents GROUP BY source_id ORDER BY source_id LIMIT 1000`,
  );
  const broken = await select<{ source_id: number; broken: number }>(
    db,
    `SELECT source_id, COUNT(*) AS broken FROM page_references WHERE state = 'broken'
     GROUP BY source_id ORDER BY source_id LIMIT 1000`,
  );
  const brokenOf = new Map(broken.map((row) => [row.source_id, row.broken]));
  return new Map(
    documents.map(({ source_id, documents, addresses }) => [
      String(source_id),
      { documents, references: Number(addresses), broken: brokenOf.get(source_id) ?? 0 },
    ]),
  );
}

function refuseTaken(name: string): (error: unknown) => never {
  return refuseDuplicate(`There is a source named "${name}" already. Choose another name.`);
}
