import { endedItems, type RunCounts } from './run.js';

/** A measured rate, with the time and count at which its current window began. */
export interface RateSample {
  atMs: number;
  ended: number;
  /** Items per second; null until the first window is complete. */
  perSecond: number | null;
}

/** The window length: long enough to even out slow and fast items, short enough to follow changes. */
const WINDOW_MS = 2000;

/** The weight of a new window. */
const WEIGHT = 0.4;

/** A rate without samples for this long is stale. */
const STALE_MS = 30_000;

/** Adds the current count to a sample: an exponentially weighted mean over windows of two seconds. */
export function nextRate(sample: RateSample, nowMs: number, ended: number): RateSample {
  const elapsedMs = nowMs - sample.atMs;
  if (elapsedMs < WINDOW_MS) return sample;
  const current = ((ended - sample.ended) * 1000) / elapsedMs;
  // After a pause, earlier samples do not count.
  const past = elapsedMs > STALE_MS ? null : sample.perSecond;
  return { atMs: nowMs, ended, perSecond: past === null ? current : past + WEIGHT * (current - past) };
}

/** The remaining time in whole seconds; null when unknown. */
export function secondsLeft(counts: RunCounts, perSecond: number | null): number | null {
  const left = counts.total - endedItems(counts);
  if (left <= 0) return 0;
  return perSecond === null || perSecond <= 0 ? null : Math.ceil(left / perSecond);
}

/** The rate to display: null when its sample is stale. */
export function currentRate(sample: RateSample, nowMs: number): number | null {
  return nowMs - sample.atMs > STALE_MS ? null : sample.perSecond;
}
