import type { Request } from 'express';
import type { Executor } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { listKeyOrigins } from './queries.js';
import { listTokenOrigins } from './token-queries.js';

/** For so long an origin that no key or token is for any more is still answered. */
const REMEMBERED_MS = 2000;
/** An unknown origin is looked up at once, because a token may just have been made, but not more often than this. */
const ASKED_EVERY_MS = 50;

interface Known {
  origins: ReadonlySet<string>;
  isAny: boolean;
}

/** The origins of web pages on which keys and tokens may be used. */
export class AllowedOrigins {
  readonly #db: Executor;
  #last: Known | null = null;
  #known: Promise<Known | null> = Promise.resolve(null);
  #readAt = 0;

  constructor(db: Executor) {
    this.#db = db;
  }

  /**
   * Whether there is a key or a token for pages of an origin. While the database is away it is answered by what was known
   * last, so that pages can read why they are refused.
   */
  async has(origin: string): Promise<boolean> {
    if (isFor(await this.#read(REMEMBERED_MS), origin)) return true;
    return isFor(await this.#read(ASKED_EVERY_MS), origin);
  }

  #read(maxAgeMs: number): Promise<Known | null> {
    const now = Date.now();
    if (now - this.#readAt > maxAgeMs) {
      this.#readAt = now;
      this.#known = readOrigins(this.#db).then(
        (known) => {
          this.#last = known;
          return known;
        },
        () => this.#last,
      );
    }
    return this.#known;
  }
}

function isFor(known: Known | null, origin: string): boolean {
  return known !== null && (known.isAny || known.origins.has(origin));
}

async function readOrigins(db: Executor): Promise<Known> {
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
