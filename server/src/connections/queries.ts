import type { BucketSettings, ConnectionKind } from '@uniferum/core/connections';
import {
  change,
  type Executor,
  isDatabaseError,
  refuseDuplicate,
  select,
  selectOne,
  type Transaction,
  writeJson,
} from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';

/** A connection as it is stored. */
export interface Connection {
  id: string;
  kind: ConnectionKind;
  name: string;
  settings: BucketSettings;
  /** Encrypted; null without one. */
  secret: string | null;
  secretSetAt: Date | null;
  revision: number;
  createdAt: Date;
  updatedAt: Date;
}

interface ConnectionRow {
  id: number;
  kind: ConnectionKind;
  name: string;
  settings: string;
  secret: string | null;
  secret_set_at: Date | null;
  revision: number;
  created_at: Date;
  updated_at: Date;
}

const COLUMNS = 'id, kind, name, settings, secret, secret_set_at, revision, created_at, updated_at';

function toConnection(row: ConnectionRow): Connection {
  const { id, kind, name, settings, secret, revision } = row;
  return {
    ...{ id: String(id), kind, name, settings: JSON.parse(settings), secret, revision },
    secretSetAt: row.secret_set_at,
    createdAt: row.created_at,
    updatedAt: row.updated_at,
  };
}

export async function listConnections(db: Executor): Promise<Connection[]> {
  const rows = await select<ConnectionRow>(
    db,
    `SELECT ${COLUMNS} FROM connections ORDER BY name, id LIMIT 1000`,
  );
  return rows.map(toConnection);
}

export async function findConnection(
  db: Executor,
  id: string,
  { lock = false } = {},
): Promise<Connection | null> {
  const row = await selectOne<ConnectionRow>(
    db,
    `SELECT ${COLUMNS} FROM connections WHERE id = ?${lock ? ' FOR UPDATE' : ''}`,
    [id],
  );
  return row && toConnection(row);
}

/** @throws UniferumError `conflict` when another connection has the name */
export async function insertConnection(
  tx: Transaction,
  { kind, name, settings, secret }: Pick<Connection, 'kind' | 'name' | 'settings' | 'secret'>,
): Promise<string> {
  const { insertId } = await change(
    tx,
    `INSERT INTO connections (kind, name, settings, secret, secret_set_at)
     VALUES (?, ?, ?, ?, IF(secret IS NULL, NULL, NOW(3)))`,
    [kind, name, writeJson(settings), secret],
  ).catch(refuseTaken(name));
  return String(insertId);
}

/**
 * Changes a connection; a secret that is undefined stays.
 *
 * @throws UniferumError `conflict` when another connection has the name
 */
export async function updateConnection(
  tx: Transaction,
  id: string,
  { name, settings, secret }: Pick<Connection, 'name' | 'settings'> & { secret?: string | null },
): Promise<void> {
  await change(
    tx,
    `UPDATE connections
     SET name = ?, settings = ?, revision = revision + 1, updated_at = NOW(3)
     WHERE id = ?`,
    [name, writeJson(settings), id],
  ).catch(refuseTaken(name));
  if (secret !== undefined)
    await change(
      tx,
      'UPDATE connections SET secret = ?, secret_set_at = IF(secret IS NULL, NULL, NOW(3)) WHERE id = ?',
      [secret, id],
    );
}

/** @throws UniferumError `conflict` when something uses it */
export async function deleteConnection(
  tx: Transaction,
  { id, name }: Pick<Connection, 'id' | 'name'>,
): Promise<void> {
  await change(tx, 'DELETE FROM connections WHERE id = ?', [id]).catch((error) => {
    if (isDatabaseError(error, 'ER_ROW_IS_REFERENCED_2'))
      throw new UniferumError('conflict', `A store uses the connection "${name}". Delete that store first.`);
    throw error;
  });
}

/** Tells whether anything refers to a connection, in whatever table: then the database doesn't delete it. */
export async function isConnectionUsed(tx: Transaction, connection: Connection): Promise<boolean> {
  const undo = new Error('It could be deleted');
  try {
    return await tx.savepoint(async () => {
      await deleteConnection(tx, connection);
      throw undo;
    });
  } catch (error) {
    if (error === undo) return false;
    if (error instanceof UniferumError) return true;
    throw error;
  }
}

function refuseTaken(name: string): (error: unknown) => never {
  return refuseDuplicate(`There is already a connection "${name}". Choose another name.`);
}
