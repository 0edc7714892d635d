import type { BucketSettings } from '@uniferum/core/connections';
import { objectAddress } from '@uniferum/core/connections';
import { type Connection, listConnections } from '../connections/queries.js';
import type { Executor } from '../shared/database.js';
import { listStores, type PlacedStore } from './store-queries.js';

/** A store and its connection, as answers describe them. */
export interface StoreFacts {
  store: PlacedStore;
  connection: Pick<Connection, 'id' | 'name'>;
  settings: BucketSettings;
  /** The base address of its objects; null when nobody can read them without credentials. */
  publicUrl: string | null;
}

/** Describes all stores, by id. */
export async function describeStores(db: Executor): Promise<Map<number, StoreFacts>> {
  const stores = await listStores(db);
  if (stores.length === 0) return new Map();
  const connections = new Map((await listConnections(db)).map((one) => [one.id, one]));
  return new Map(
    stores.flatMap((store) => {
      const connection = connections.get(store.connectionId);
      if (!connection) return [];
      const { id, name, settings } = connection;
      const publicUrl = store.publicUrl ?? settings.publicUrl;
      return [[store.id, { store, connection: { id, name }, settings, publicUrl }] as const];
    }),
  );
}

/** The address at which anybody reads an object; null when nobody does. */
export function publicAddress({ publicUrl, settings }: StoreFacts, key: string): string | null {
  return publicUrl === null ? null : objectAddress(publicUrl, settings.prefix + key);
}
