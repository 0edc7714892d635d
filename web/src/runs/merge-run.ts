import type { Run } from '@uniferum/core/runs';

/** Puts a run's newest state among the known ones, the newest run first. */
export function mergeRun(runs: readonly Run[], run: Run): Run[] {
  const others = runs.filter(({ id }) => id !== run.id);
  return [...others, run].sort((a, b) => Number(b.id) - Number(a.id));
}
