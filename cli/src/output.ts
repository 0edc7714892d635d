import type { Run } from '@uniferum/client';

/** The output of a command. Tests provide their own. */
export interface Output {
  out: (line: string) => void;
  err: (line: string) => void;
  /** Overwrites the last line; absent without a terminal. */
  progress?: (line: string) => void;
  isJson: boolean;
}

/** Writes to the process's own streams; progress only on a terminal. */
export function processOutput(isJson: boolean): Output {
  return {
    isJson,
    out: (line) => void process.stdout.write(`${line}\n`),
    err: (line) => void process.stderr.write(`${line}\n`),
    ...(process.stderr.isTTY && {
      progress: (line: string) => void process.stderr.write(`\r\u001b[2K${line}`),
    }),
  };
}

const BAR_CELLS = 24;

/** A progress bar with counts, rate and remaining time: `████░░ 120 of 146, 18/s, 2 s left`. */
export function progressLine(
  done: number,
  total: number,
  rate: number | null,
  secondsLeft: number | null,
): string {
  const filled = total === 0 ? BAR_CELLS : Math.round((BAR_CELLS * done) / total);
  const parts = [`${done.toLocaleString('en-GB')} of ${total.toLocaleString('en-GB')}`];
  if (rate !== null) parts.push(`${rate.toLocaleString('en-GB')}/s`);
  if (secondsLeft !== null) parts.push(`${secondsLeft} s left`);
  return `${'█'.repeat(filled)}${'░'.repeat(BAR_CELLS - filled)} ${parts.join(', ')}`;
}

/** The progress line of a run. */
export function runLine(run: Run): string {
  return progressLine(run.done + run.skipped + run.failed, run.total, run.rate, run.secondsLeft);
}

/** Writes rows in columns; the last column is not padded. */
export function table(rows: readonly (readonly string[])[]): string[] {
  const widths = (rows[0] ?? []).map((_, column) =>
    Math.max(...rows.map((row) => (row[column] ?? '').length)),
  );
  return rows.map((row) =>
    row
      .map((cell, column) => (column === row.length - 1 ? cell : cell.padEnd(widths[column] ?? 0)))
      .join('  ')
      .trimEnd(),
  );
}

/** The exact number of bytes, with digit grouping. */
export function formatSize(bytes: number): string {
  return `${bytes.toLocaleString('en-GB')} ${bytes === 1 ? 'byte' : 'bytes'}`;
}
