import type { Run } from '@uniferum/client';

/** The output of a command. Tests provide their own. */
export interface Output {
  out: (line: string) => void;
  err: (line: string) => void;
  /** Overwrites the last line; absent without a terminal. */
  progress?: (line: string) => void;
  /** One JSON document for the whole command. */
  isJson: boolean;
  /** One JSON document per line, as soon as each is known. */
  isStream: boolean;
  /** One of several results: a line of text or of JSON at once, or a part of the document at the end. */
  item: (value: unknown, text: string) => void;
  /** The end of a command with items: what there is to say about all of them. */
  end: (summary: object, text: string) => void;
}

/** How results are written. */
export type OutputFormat = 'text' | 'json' | 'ndjson';

/** Writes to the process's own streams; progress only on a terminal that can overwrite a line. */
export function processOutput(format: OutputFormat): Output {
  const out = (line: string) => void process.stdout.write(`${line}\n`);
  const err = (line: string) => void process.stderr.write(`${line}\n`);
  const canOverwrite = process.stderr.isTTY && !process.env.NO_COLOR && process.env.TERM !== 'dumb';
  return {
    ...{ out, err, ...itemWriter(format, { out, err }) },
    ...(canOverwrite && {
      progress: (line: string) => void process.stderr.write(`\r\u001b[2K${line}`),
    }),
  };
}

/** Writes items in a format. */
export function itemWriter(
  format: OutputFormat,
  { out, err }: Pick<Output, 'out' | 'err'>,
): Pick<Output, 'isJson' | 'isStream' | 'item' | 'end'> {
  const items: unknown[] = [];
  return {
    isJson: format !== 'text',
    isStream: format === 'ndjson',
    item: (value, text) => {
      if (format === 'text') out(text);
      else if (format === 'ndjson') out(JSON.stringify(value));
      else items.push(value);
    },
    end: (summary, text) => {
      if (format === 'json') out(JSON.stringify({ items, ...summary }));
      else if (format === 'text' && text !== '') err(text);
    },
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
