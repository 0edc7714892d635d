import { setTimeout as delay } from 'node:timers/promises';
import type { Logger } from 'pino';
import { pino } from 'pino';
import { type Config, readConfig } from './config.js';
import { DatabaseStartError } from './migrate.js';

/** The exit status for an invalid configuration: restarting would give the same result. Source: sysexits.h, EX_CONFIG. */
export const WRONG_CONFIGURATION = 78;

const PATIENCE_MS = 60_000;
const RETRY_MS = 1000;

/** Reads the configuration and opens the log of a process. An invalid configuration ends the process with an explanation. */
export function launch(part: 'server' | 'worker'): { config: Config; log: Logger } {
  try {
    const config = readConfig(process.env);
    return { config, log: pino({ level: config.logLevel, base: { part } }) };
  } catch (error) {
    process.stderr.write(`${error instanceof Error ? error.message : error}\n`);
    process.exit(WRONG_CONFIGURATION);
  }
}

/**
 * Runs startup work that requires the database. It waits for a database that is still starting; an error that
 * requires intervention ends the process.
 */
export async function withDatabase<Result>(log: Logger, work: () => Promise<Result>): Promise<Result> {
  const until = Date.now() + PATIENCE_MS;
  for (;;) {
    try {
      return await work();
    } catch (error) {
      if (!(error instanceof DatabaseStartError)) throw error;
      if (!error.mayRetry) {
        log.fatal(error.message);
        process.exit(WRONG_CONFIGURATION);
      }
      if (Date.now() > until) throw error;
      log.warn(error.message);
      await delay(RETRY_MS);
    }
  }
}
