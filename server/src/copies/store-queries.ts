import {
  change,
  changeExpanded,
  type Executor,
  isDatabaseError,
  refuseDuplicate,
  select,
  selectOne,
  type Transaction,
} from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';

/** A store of placed copies. */
export interface PlacedStore {
  id: number;
  name: string;
  connectionId: string;
  /** The base address of a content network; null takes the connection's. */
  publicUrl: string | null;
  auditDays: number | null;
  auditedAt: Date | null;
  createdAt: Date;
  revision: number;
}

interface StoreRow {
  id: number;
  name: string;
  connection_id: number;
  public_url: string | null;
  audit_days: number | null;
  audited_at: Date | null;
  created_at: Date;
  revision: number;
}

const COLUMNS = 'id, name, connection_id, public_url, audit_days, audited_at, created_at, revision';

function toStore(row: StoreRow): PlacedStore {
  return {
    ...{ id: row.id, name: row.name, connectionId: String(row.connection_id) },
    ...{ publicUrl: row.public_url, auditDays: row.audit_days, auditedAt: row.audited_at },
    ...{ createdAt: row.created_at, revision: row.revision },
  };
}

/** Lists the stores by name. */
export async function listStores(db: Executor): Promise<PlacedStore[]> {
  const rows = await select<StoreRow>(db, `SELECT ${COLUMNS} FROM stores ORDER BY name LIMIT 1000`);
  return rows.map(toStore);
}

export async function findStore(
  db: Executor,
  id: string | number,
  { lock = false } = {},
): Promise<PlacedStore | null> {
  const row = await selectOne<StoreRow>(
    db,
    `SELECT ${COLUMNS} FROM stores WHERE id = ?${lock ? ' FOR UPDATE' : ''}`,
    [id],
  );
  return row && toStore(row);
}

type StoreSettings = Pick<PlacedStore, 'name' | 'connectionId' | 'publicUrl' | 'auditDays'>;

/** @throws UniferumError `conflict` when another store has the name */
export async function insertStore(tx: Transaction, store: StoreSettings): Promise<number> {
  const { insertId } = await change(
    tx,
    'INSERT INTO stores (name, connection_id, public_url, audit_days) VALUES (?, ?, ?, ?)',
    [store.name, store.connectionId, store.publicUrl, store.auditDays],
  ).catch(refuseTaken(store.name));
  return insertId;
}

/** @throws UniferumError `conflict` when another store has the name */
export async function updateStore(
  tx: Transaction,
  id: number,
  { name, publicUrl, auditDays }: Omit<StoreSettings, 'connectionId'>,
): Promise<void> {
  await change(
    tx,
    'UPDATE stores SET name = ?, public_url = ?, audit_days = ?, revision = revision + 1 WHERE id = ?',
    [name, publicUrl, auditDays, id],
  ).catch(refuseTaken(name));
}

export async function updateAudited(tx: Executor, id: number): Promise<void> {
  await change(tx, 'UPDATE stores SET audited_at = NOW(3) WHERE id = ?', [id]);
}

export async function deleteStore(tx: Transaction, id: number): Promise<void> {
  await change(tx, 'DELETE FROM stores WHERE id = ?', [id]).catch((error) => {
    if (!isDatabaseError(error, 'ER_ROW_IS_REFERENCED_2')) throw error;
    throw new UniferumError('conflict', 'Site assets are placed in this store. Delete them first.');
  });
  await change(tx, 'DELETE FROM store_bases WHERE store_id = ?', [id]);
}

/** A base address that objects of a store have, or had. */
export interface StoreBase {
  storeId: number;
  base: string;
}

export async function listStoreBases(db: Executor): Promise<StoreBase[]> {
  const rows = await select<{ store_id: number; base: string }>(
    db,
    'SELECT store_id, base FROM store_bases ORDER BY store_id, base LIMIT 10000',
  );
  return rows.map(({ store_id, base }) => ({ storeId: store_id, base }));
}

export async function insertStoreBases(tx: Transaction, bases: readonly StoreBase[]): Promise<void> {
  if (bases.length === 0) return;
  await changeExpanded(tx, 'INSERT IGNORE INTO store_bases (store_id, base) VALUES ?', [
    bases.map(({ storeId, base }) => [storeId, base]),
  ]);
}

function refuseTaken(name: string): (error: unknown) => never {
  return refuseDuplicate(`There is already a store "${name}". Choose another name.`);
}
