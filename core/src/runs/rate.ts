import { endedItems, type RunCounts } from './run.js';

/** A measured rate, with the moment and the count at which its current window began. */
export interface RateSample {
  atMs: number;
  ended: number;
  /** Items per second; null until one window is over. */
  perSecond: number | null;
}

/** A window of this length is long enough to even out slow and fast items, short enough to follow a change. */
const WINDOW_MS = 2000;

/** How much a new window weighs against the past. */
const WEIGHT = 0.4;

/** After so long without a new sample a rate says nothing any more. */
const STALE_MS = 30_000;

/** Takes the current count into a sample: an exponentially weighted mean over windows of two seconds. */
export function nextRate(sample: RateSample, nowMs: number, ended: number): RateSample {
  const elapsedMs = nowMs - sample.atMs;
  if (elapsedMs < WINDOW_MS) return sample;
  const current = ((ended - sample.ended) * 1000) / elapsedMs;
  // After a pause the past says nothing about now.
  const past = elapsedMs > STALE_MS ? null : sample.perSecond;
  return { atMs: nowMs, ended, perSecond: past === null ? current : past + WEIGHT * (current - past) };
}

/** The time that the rest will take, in whole seconds; null when it can't be told. */
export function secondsLeft(counts: RunCounts, perSecond: number | null): number | null {
  const left = counts.total - endedItems(counts);
  if (left <= 0) return 0;
  return perSecond === null || perSecond <= 0 ? null : Math.ceil(left / perSecond);
}

/** The rate as shown: null when its sample is stale. */
export function currentRate(sample: RateSample, nowMs: number): number | null {
  return nowMs - sample.atMs > STALE_MS ? null : sample.perSecond;
}
