import { endedItems, formatBytes, isActive, type Run } from '@uniferum/core';
import { formatNumber, formatSeconds } from '../ui/format.js';

/** Counts, rate and time left in one line of words. */
export function runFigures(run: Run): string {
  const parts = [`${formatNumber(endedItems(run))} of ${formatNumber(run.total)}`];
  if (run.failed > 0) parts.push(`${formatNumber(run.failed)} failed`);
  if (isActive(run.state) && run.rate !== null)
    parts.push(`${run.rate.toFixed(run.rate < 10 ? 1 : 0)} per second`);
  if (isActive(run.state) && run.secondsLeft !== null) parts.push(`${formatSeconds(run.secondsLeft)} left`);
  if (!isActive(run.state) && run.bytes && run.bytes.before + run.bytes.after > 0)
    parts.push(`${formatBytes(run.bytes.before)} → ${formatBytes(run.bytes.after)}`);
  return parts.join(' · ');
}
