import type { StoreHistoryAnswer } from '@uniferum/core/copies';
import { formatBytes } from '@uniferum/core/intake';

/** The history of one store, by its name. */
export interface NamedHistory {
  name: string;
  history: StoreHistoryAnswer;
}

/** A line of a chart: what a store held, from when that is known. */
export interface StoredLine {
  name: string;
  points: { at: Date; bytes: number }[];
}

/** The lines of what stores held, the largest first. Stores of which nothing is known are left out. */
export function linesOf(histories: readonly NamedHistory[]): StoredLine[] {
  return histories
    .map(({ name, history: { items } }) => ({
      name,
      points: items.flatMap(({ at, bytes }) => (bytes === null ? [] : [{ at: new Date(at), bytes }])),
    }))
    .filter(({ points }) => points.length > 0)
    .sort((a, b) => (b.points.at(-1)?.bytes ?? 0) - (a.points.at(-1)?.bytes ?? 0));
}

/** The mean rate at which bytes were sent in a period, to all stores and to each that got any. */
export interface SentPeriod {
  at: Date;
  bytesPerSecond: number;
  stores: { name: string; bytes: number }[];
}

/** The periods in which anything was sent. */
export function ratesOf(histories: readonly NamedHistory[]): SentPeriod[] {
  const periods = new Map<string, SentPeriod>();
  for (const { name, history } of histories)
    for (const { at, sent } of history.items) {
      if (sent === 0) continue;
      const period = periods.get(at) ?? { at: new Date(at), bytesPerSecond: 0, stores: [] };
      period.bytesPerSecond += sent / history.stepSeconds;
      period.stores.push({ name, bytes: sent });
      periods.set(at, period);
    }
  return [...periods.values()].sort((a, b) => a.at.getTime() - b.at.getTime());
}

/**
 * Puts labels at heights so that none covers another: each stays as near to its own as it can.
 *
 * @param heights from the top, in pixels, in any order
 * @returns the heights of the labels, in the order of `heights`
 */
export function spreadLabels(heights: readonly number[], apart: number): number[] {
  const order = heights.map((height, index) => ({ height, index })).sort((a, b) => a.height - b.height);
  const placed: number[] = new Array(heights.length).fill(0);
  let last = Number.NEGATIVE_INFINITY;
  for (const { height, index } of order) {
    last = Math.max(height, last + apart);
    placed[index] = last;
  }
  return placed;
}

/** A chart has at least so many periods. */
const FEWEST_PERIODS = 24;

/** The first period that is worth being shown: a little before anything is known. */
export function beginOf(histories: readonly NamedHistory[]): number {
  const length = Math.max(0, ...histories.map(({ history }) => history.items.length));
  const known = histories.map(({ history: { items } }) => {
    const first = items.findIndex(({ bytes, sent }) => bytes !== null || sent > 0);
    return first < 0 ? length : first;
  });
  return Math.max(0, Math.min(length - FEWEST_PERIODS, ...known.map((first) => first - 1)));
}

/** A rate in words. */
export function formatRate(bytesPerSecond: number): string {
  return `${formatBytes(Math.round(bytesPerSecond))}/s`;
}
