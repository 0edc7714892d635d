import * as robots from 'robots-parser';
import type { Config } from '../shared/config.js';
import { FetchFailure, fetchAddress, readBody } from '../shared/outgoing.js';

/** The package exports the function itself, other than its types say. */
const parseRobots = robots.default as unknown as (url: string, text: string) => robots.Robot;

/** How we are called in `robots.txt`. */
export const AGENT = 'Uniferum';
const KEPT_MS = 10 * 60_000;
/** RFC 9309, section 2.5: at least 500 KiB have to be read. A larger one is taken for a fault of the site. */
const MAX_BYTES = 512_000;
const LONGEST_DELAY_S = 30;

/** What a site asks of crawlers. */
export interface CrawlRules {
  allows(url: string): boolean;
  /** The least time between two requests, in milliseconds. */
  intervalMs: number;
}

/** Reads and keeps `robots.txt` of sites for some minutes. Source: RFC 9309. */
export class RobotsReader {
  readonly #config: Pick<Config, 'allowedHosts'>;
  readonly #kept = new Map<string, { until: number; rules: Promise<CrawlRules> }>();

  constructor(config: Pick<Config, 'allowedHosts'>) {
    this.#config = config;
  }

  /** @throws FetchFailure when the site can't be reached: then nothing of it may be read */
  rulesFor(url: string, now = Date.now()): Promise<CrawlRules> {
    const address = new URL('/robots.txt', url).href;
    const known = this.#kept.get(address);
    if (known && known.until > now) return known.rules;
    const rules = this.#read(address);
    this.#kept.set(address, { until: now + KEPT_MS, rules });
    rules.catch(() => this.#kept.delete(address));
    return rules;
  }

  async #read(address: string): Promise<CrawlRules> {
    const rules = parseRobots(address, await this.#fetch(address));
    return {
      allows: (url) => rules.isAllowed(url, AGENT) ?? true,
      intervalMs: Math.min(rules.getCrawlDelay(AGENT) ?? 0, LONGEST_DELAY_S) * 1000,
    };
  }

  async #fetch(address: string): Promise<string> {
    try {
      const answer = await fetchAddress(this.#config, address, { headers: { accept: 'text/plain' } });
      return (await readBody(answer, MAX_BYTES)).toString('utf8');
    } catch (error) {
      // Section 2.3.1.3: without one everything may be read. Section 2.3.1.4: with a fault of the server nothing.
      if (error instanceof FetchFailure && error.status !== null && error.status >= 400 && error.status < 500)
        return '';
      throw error;
    }
  }
}
