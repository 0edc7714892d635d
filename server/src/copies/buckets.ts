import type { BucketSettings } from '@uniferum/core/connections';
import { readSecret } from '../connections/open-bucket.js';
import { type Connection, findConnection } from '../connections/queries.js';
import type { Config } from '../shared/config.js';
import type { CopyStore } from '../shared/copy-store.js';
import type { Executor } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { createBucketClient } from '../stores/bucket-client.js';
import { BucketStore } from '../stores/bucket-store.js';
import { findStore, type PlacedStore } from './store-queries.js';

/** A store that is open. */
export interface OpenStore {
  store: PlacedStore;
  settings: BucketSettings;
  objects: CopyStore;
  /** Anybody can read its objects. */
  isPublic: boolean;
}

interface Kept {
  revision: string;
  open: OpenStore;
}

/** Opens the buckets of stores. A client is kept as long as the settings stay the same. */
export class Buckets {
  readonly #config: Pick<Config, 'allowedHosts' | 'masterKey'>;
  readonly #kept = new Map<number, Kept>();

  constructor(config: Pick<Config, 'allowedHosts' | 'masterKey'>) {
    this.#config = config;
  }

  /** @throws UniferumError `not-found` for a store that is gone */
  async open(db: Executor, storeId: number): Promise<OpenStore> {
    const store = await findStore(db, storeId);
    const connection = store && (await findConnection(db, store.connectionId));
    if (!store || !connection) throw notFound(`The store ${storeId}`);
    const revision = `${store.revision} ${connection.revision}`;
    const kept = this.#kept.get(storeId);
    if (kept?.revision === revision) return { ...kept.open, store };
    const settings = {
      ...connection.settings,
      publicUrl: store.publicUrl ?? connection.settings.publicUrl,
    };
    const client = createBucketClient(this.#config, settings, () => this.#readSecret(connection));
    const objects = new BucketStore(store.name, settings, client);
    const open = { store, settings, objects, isPublic: settings.publicUrl !== null };
    this.#kept.set(storeId, { revision, open });
    // Requests that use the earlier client end with it; what they did is repeated by their run.
    kept?.open.objects.close();
    return open;
  }

  /** What is to be stored waits until somebody enters the secret again: it is no fault of any file. */
  #readSecret(connection: Connection): string {
    try {
      return readSecret(this.#config, connection);
    } catch (error) {
      throw new UniferumError('store-away', (error as Error).message, {
        retryAfterSeconds: 60,
        cause: error,
      });
    }
  }

  close(): void {
    for (const { open } of this.#kept.values()) open.objects.close();
    this.#kept.clear();
  }
}
