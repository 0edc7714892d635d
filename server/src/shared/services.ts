import type { Logger } from 'pino';
import type { ByteStore } from './byte-store.js';
import type { Config } from './config.js';
import type { Database } from './database.js';

/** What every room works with. Services that only some rooms need go into those rooms' factories. */
export interface Services {
  config: Config;
  /** Within one request this may be a transaction that is committed with its answer; so take it from where you are called. */
  db: Database;
  /** A connection of its own for what must be renewed in time, however busy the others are. */
  leases: Database;
  store: ByteStore;
  log: Logger;
}
