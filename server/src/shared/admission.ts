import { UniferumError } from './errors.js';

/** How many requests of one caller a route processes concurrently, unless it sets its own limit. */
const DEFAULT_AT_ONCE = 64;

/** Counts the requests in progress by route and caller, so that one caller cannot take up the whole server. */
export class Admission {
  readonly #inFlight = new Map<string, number>();

  /**
   * Admits a request.
   *
   * @returns a function to call when the request is over; calling it twice is harmless
   * @throws UniferumError `too-many-requests`
   */
  enter(route: string, caller: string, atOnce = DEFAULT_AT_ONCE): () => void {
    const key = `${route} ${caller}`;
    const count = this.#inFlight.get(key) ?? 0;
    if (count >= atOnce)
      throw new UniferumError(
        'too-many-requests',
        `${count} of your requests to this endpoint are still in progress. Wait for one of them before sending the next.`,
        { retryAfterSeconds: 1 },
      );
    this.#inFlight.set(key, count + 1);
    let isIn = true;
    return () => {
      if (!isIn) return;
      isIn = false;
      const left = (this.#inFlight.get(key) ?? 1) - 1;
      if (left > 0) this.#inFlight.set(key, left);
      else this.#inFlight.delete(key);
    };
  }
}

/**
 * Identifies the sender of an unauthenticated request, for limits: the address, or for IPv6 the 64-bit network of one
 * subscriber. Source: RFC 6177, section 2.
 */
export function strangerOf(ip: string | undefined): string {
  if (ip === undefined) return 'unknown';
  const mapped = /^::ffff:(\d+\.\d+\.\d+\.\d+)$/i.exec(ip)?.[1];
  if (mapped !== undefined) return mapped;
  if (!ip.includes(':')) return ip;
  const [head = '', tail = ''] = ip.split('%')[0]?.split('::') ?? [];
  const first = head === '' ? [] : head.split(':');
  const last = tail === '' ? [] : tail.split(':');
  const groups = ip.includes('::')
    ? [...first, ...new Array(Math.max(0, 8 - first.length - last.length)).fill('0'), ...last]
    : first;
  return `${groups
    .slice(0, 4)
    .map((group) => Number.parseInt(group, 16).toString(16))
    .join(':')}::/64`;
}
