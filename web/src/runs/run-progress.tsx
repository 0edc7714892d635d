import { formatBytes } from '@uniferum/core/intake';
import { endedItems, isActive, type Run } from '@uniferum/core/runs';
import { classNames } from '../ui/class-names.js';
import { formatNumber, formatSeconds } from '../ui/format.js';

/** Counts, rate and remaining time in one line. */
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

/** Why a run is paused: it is not its fault, and it resumes by itself. */
export function HeldReason({ run, className }: { run: Run; className?: string }) {
  if (run.heldReason === null || !isActive(run.state)) return null;
  return (
    <p className={classNames('truncate text-sm text-ochre', className)} title={run.heldReason}>
      On hold: {run.heldReason}
    </p>
  );
}
