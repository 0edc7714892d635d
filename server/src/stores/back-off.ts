import { setTimeout as wait } from 'node:timers/promises';

/** Whether a failed call may be repeated, and what the other side asks for. */
export interface RetryAdvice {
  mayRetry: boolean;
  /** How long the other side asks to wait; null when it doesn't say. */
  afterMs: number | null;
}

export interface BackOffOptions {
  advise(error: unknown): RetryAdvice;
  signal?: AbortSignal | undefined;
  /** @defaultValue 5 */
  attempts?: number;
  /** @defaultValue 30000 */
  longestWaitMs?: number;
  delay?: (ms: number, signal: AbortSignal | undefined) => Promise<unknown>;
  random?: () => number;
}

const FIRST_WAIT_MS = 200;

/**
 * Retries a call after a temporary failure, with doubling, randomised delays (jitter), or the delay that the other side
 * requests. If that exceeds the maximum, the error is thrown and the caller decides.
 */
export async function withBackOff<Result>(
  work: () => Promise<Result>,
  {
    advise,
    signal,
    attempts = 5,
    longestWaitMs = 30_000,
    delay = (ms, aborting) => wait(ms, undefined, aborting ? { signal: aborting } : {}),
    random = Math.random,
  }: BackOffOptions,
): Promise<Result> {
  for (let attempt = 1; ; attempt += 1) {
    signal?.throwIfAborted();
    try {
      return await work();
    } catch (error) {
      signal?.throwIfAborted();
      const { mayRetry, afterMs } = advise(error);
      if (!mayRetry || attempt >= attempts || (afterMs ?? 0) > longestWaitMs) throw error;
      const scattered = Math.min(longestWaitMs, FIRST_WAIT_MS * 2 ** (attempt - 1)) * (0.5 + random() / 2);
      await delay(Math.max(afterMs ?? 0, scattered), signal);
    }
  }
}
