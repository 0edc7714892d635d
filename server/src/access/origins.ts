import type { Request } from 'express';
import type { Executor } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { listKeyOrigins } from './queries.js';
import { listTokenOrigins } from './token-queries.js';

/** For so long a new origin may be unknown. */
const REMEMBERED_MS = 2000;

/** The origins of web pages on which keys and tokens may be used, looked up every few seconds. */
export class AllowedOrigins {
  readonly #db: Executor;
  #known: Promise<{ origins: ReadonlySet<string>; isAny: boolean }> | null = null;
  #readAt = 0;

  constructor(db: Executor) {
    this.#db = db;
  }

  /** Whether there is a key or a token for pages of an origin. Without the database there is none. */
  async has(origin: string): Promise<boolean> {
    const now = Date.now();
    if (this.#known === null || now - this.#readAt > REMEMBERED_MS) {
      this.#readAt = now;
      this.#known = readOrigins(this.#db);
      this.#known.catch(() => {
        this.#known = null;
      });
    }
    const known = await this.#known.catch(() => null);
    return known !== null && (known.isAny || known.origins.has(origin));
  }
}

async function readOrigins(db: Executor): Promise<{ origins: ReadonlySet<string>; isAny: boolean }> {
  const [ofKeys, ofTokens] = await Promise.all([listKeyOrigins(db), listTokenOrigins(db)]);
  return {
    origins: new Set([...ofKeys, ...ofTokens.flatMap((origin) => origin ?? [])]),
    isAny: ofTokens.includes(null),
  };
}

/**
 * Rejects a key or token on a web page that it is not for. Scripts, which are no pages, may use it anywhere: only browsers
 * say which page a request comes from.
 *
 * @param origins null for any
 * @throws UniferumError `foreign-origin`
 */
export function requirePageOf(req: Request, publicUrl: string, origins: readonly string[] | null): void {
  const origin = req.get('origin');
  const site = req.get('sec-fetch-site');
  if (origin === undefined || site === undefined || site === 'same-origin' || origins === null) return;
  if (origin === new URL(publicUrl).origin || origins.includes(origin)) return;
  throw new UniferumError(
    'foreign-origin',
    `This key or token can't be used on pages of ${origin.slice(0, 200)}. Create a key with that origin, or better a short-lived token.`,
  );
}
