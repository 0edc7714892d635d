import type { Logger } from 'pino';
import type { ByteStore } from './byte-store.js';
import type { Config } from './config.js';
import type { Database } from './database.js';

/** What every room works with. Services that only some rooms need are passed to the factories of those rooms. */
export interface Services {
  config: Config;
  /** Within a request this may be a transaction that is committed with its answer; always use the one you were given. */
  db: Database;
  /** A dedicated connection for what must be renewed in time, however busy the others are. */
  leases: Database;
  store: ByteStore;
  log: Logger;
}
