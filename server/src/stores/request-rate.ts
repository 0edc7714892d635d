import { setTimeout as wait } from 'node:timers/promises';

/** Spaces requests so that no more than a number of them begin in a second. */
export class RequestRate {
  readonly #spacingMs: number;
  #nextAt = 0;

  /** @param maxPerSecond null for no limit */
  constructor(maxPerSecond: number | null) {
    this.#spacingMs = maxPerSecond === null ? 0 : 1000 / maxPerSecond;
  }

  /** When the next request may begin, in milliseconds from now; it is reserved. */
  reserve(nowMs: number): number {
    const at = Math.max(nowMs, this.#nextAt);
    this.#nextAt = at + this.#spacingMs;
    return at - nowMs;
  }

  async turn(signal?: AbortSignal): Promise<void> {
    if (this.#spacingMs === 0) return;
    const ms = this.reserve(performance.now());
    if (ms > 0) await wait(ms, undefined, signal ? { signal } : {});
  }
}
