export interface BackoffOptions {
  /** The wait after the first failure, in milliseconds. @defaultValue 1000 */
  baseMs?: number;
  /** The maximum wait. @defaultValue 300000 */
  maxMs?: number;
}

/**
 * The wait before attempt `attempts + 1`: exponential with "equal jitter", half of it fixed and half random, so that
 * items that failed together are not retried together. Common practice, no source.
 *
 * @param attempts the number of attempts so far, from 1
 * @param random 0–1
 */
export function backoffMs(
  attempts: number,
  random: number,
  { baseMs = 1000, maxMs = 300_000 }: BackoffOptions = {},
): number {
  const full = Math.min(maxMs, baseMs * 2 ** (attempts - 1));
  return Math.round(full / 2 + (full / 2) * random);
}
