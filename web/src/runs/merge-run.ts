import type { Run } from '@uniferum/core/runs';

/** Merges a run's latest state into the known runs, newest first. */
export function mergeRun(runs: readonly Run[], run: Run): Run[] {
  const others = runs.filter(({ id }) => id !== run.id);
  return [...others, run].sort((a, b) => Number(b.id) - Number(a.id));
}
