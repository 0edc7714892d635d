import type { DatabaseSettings } from '@uniferum/core/pages';
import { type Connection, createConnection, escapeId, type RowDataPacket } from 'mysql2/promise';
import type { Config } from '../shared/config.js';
import { UniferumError } from '../shared/errors.js';
import { connectTo, FetchFailure, PRIVATE_TARGET } from '../shared/outgoing.js';
import { openSecret } from '../shared/secrets.js';
import { SourceFault } from './opened-source.js';
import type { PageSource } from './source.js';

const CONNECT_MS = 10_000;
/** A statement that takes longer is given up. */
const STATEMENT_MS = 120_000;

export type DatabaseConfig = Pick<Config, 'allowedHosts' | 'masterKey'>;

/** A connection to the database of a site. */
export class SiteDatabase {
  readonly settings: DatabaseSettings;
  readonly #connection: Connection;

  private constructor(connection: Connection, settings: DatabaseSettings) {
    this.#connection = connection;
    this.settings = settings;
  }

  /** @throws SourceFault when it is refused; UniferumError `source-away` when it can't be reached */
  static async open(
    config: DatabaseConfig,
    { settings, secret }: Pick<PageSource<'database'>, 'settings' | 'secret'>,
  ): Promise<SiteDatabase> {
    const { host, port, user, database } = settings;
    try {
      const password = secret === null ? '' : readSecret(config, secret);
      const connection = await createConnection({
        ...{ host, port, user, password, database },
        stream: () => connectTo(config, { host, port }),
        connectTimeout: CONNECT_MS,
        charset: 'utf8mb4_general_ci',
        dateStrings: true,
        // A hostile server could ask for our files otherwise.
        flags: ['-LOCAL_FILES'],
      });
      // An error between two statements is the error of the next.
      connection.on('error', () => {});
      const opened = new SiteDatabase(connection, settings);
      await opened.query("SET SESSION sql_mode = 'STRICT_ALL_TABLES,NO_ENGINE_SUBSTITUTION'");
      return opened;
    } catch (error) {
      throw explain(error, settings);
    }
  }

  async query<Row>(sql: string, values: readonly unknown[] = []): Promise<Row[]> {
    try {
      const [rows] = await this.#connection.query<RowDataPacket[]>({
        ...{ sql, values: [...values], timeout: STATEMENT_MS },
      });
      return rows as Row[];
    } catch (error) {
      throw explain(error, this.settings);
    }
  }

  /** Runs a prepared statement. @returns the number of rows that it matched */
  async change(sql: string, values: readonly (string | Uint8Array)[]): Promise<number> {
    try {
      const [result] = await this.#connection.execute({
        ...{ sql, values: values as (string | Buffer)[], timeout: STATEMENT_MS },
      });
      return 'affectedRows' in result ? result.affectedRows : 0;
    } catch (error) {
      throw explain(error, this.settings);
    }
  }

  /** Runs a statement that is never the same again, and so is not prepared. @returns the number of rows that it matched */
  async changeOnce(sql: string, values: readonly (string | Uint8Array)[]): Promise<number> {
    try {
      const [result] = await this.#connection.query({ sql, values: [...values], timeout: STATEMENT_MS });
      return 'affectedRows' in result ? result.affectedRows : 0;
    } catch (error) {
      throw explain(error, this.settings);
    }
  }

  /** Makes several changes together; after an error there are none of them. */
  async transaction<Result>(work: () => Promise<Result>): Promise<Result> {
    await this.query('START TRANSACTION');
    try {
      const result = await work();
      await this.query('COMMIT');
      return result;
    } catch (error) {
      await this.query('ROLLBACK').catch(() => {
        // The connection is lost, and the transaction with it.
      });
      throw error;
    }
  }

  async close(): Promise<void> {
    await this.#connection.end().catch(() => this.#connection.destroy());
  }
}

/** A name in a statement. */
export const quote = (name: string) => escapeId(name, true);

function readSecret(config: DatabaseConfig, secret: string): string {
  try {
    return openSecret(config, secret);
  } catch {
    throw new SourceFault(
      "Its password can't be decrypted: the master key has changed. Enter the password again in the settings of the source.",
    );
  }
}

/** What the codes of MariaDB and MySQL mean. Source: MariaDB, "MariaDB Error Codes". */
const REFUSED: Record<string, (settings: DatabaseSettings) => string> = {
  ER_ACCESS_DENIED_ERROR: ({ user }) => `The user ${user} was refused. Check its name and password.`,
  ER_ACCESS_DENIED_NO_PASSWORD_ERROR: ({ user }) => `The user ${user} was refused. Enter its password.`,
  ER_DBACCESS_DENIED_ERROR: ({ user, database }) =>
    `The user ${user} may not use the database ${database}. Grant it the right to read there.`,
  ER_BAD_DB_ERROR: ({ database, host }) => `There is no database ${database} on ${host}. Check its name.`,
  ER_TABLEACCESS_DENIED_ERROR: ({ user, table }) =>
    `The user ${user} lacks a right to the table ${table}. Grant it the right to read, and to change for rewriting.`,
  ER_COLUMNACCESS_DENIED_ERROR: ({ user, table }) =>
    `The user ${user} lacks a right to a column of the table ${table}. Grant it the right to read, and to change for rewriting.`,
  ER_NO_SUCH_TABLE: ({ database, table }) =>
    `There is no table ${table} in ${database}. Check its name in the settings of the source.`,
  ER_BAD_FIELD_ERROR: ({ table }) =>
    `A column of the settings is not in the table ${table}. Test the source to see which.`,
};
const AWAY =
  /^(?:ECONNREFUSED|ECONNRESET|ETIMEDOUT|EHOSTUNREACH|ENETUNREACH|EPIPE|ENOTFOUND|EAI_AGAIN|PROTOCOL_\w+|ER_SERVER_SHUTDOWN|ER_CON_COUNT_ERROR|ER_CONNECTION_KILLED|ER_LOCK_WAIT_TIMEOUT|ER_LOCK_DEADLOCK|ER_OPTION_PREVENTS_STATEMENT)$/;

/** An error in the words of somebody who set the source up. */
function explain(error: unknown, settings: DatabaseSettings): unknown {
  if (error instanceof SourceFault || error instanceof UniferumError) return error;
  const { code = '', message } = error as NodeJS.ErrnoException;
  if (error instanceof FetchFailure || code === PRIVATE_TARGET) return new SourceFault(`${message}.`);
  const refused = REFUSED[code];
  if (refused) return new SourceFault(refused(settings));
  const isClosed = /closed state/.test(message);
  if (AWAY.test(code) || isClosed)
    return new UniferumError(
      'source-away',
      `The database ${settings.host}:${settings.port} can't be reached (${isClosed ? 'connection lost' : code}). Check that it is running, and its host and port in the settings of the source.`,
      { retryAfterSeconds: 15, cause: error },
    );
  return error;
}
