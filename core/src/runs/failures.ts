/** The longest reason that is kept. */
const MAX_REASON = 160;

/**
 * The kind of a failure: its sentence without the file's name and without figures, so that all that failed alike are one
 * group. `dusk.jpg can't be decoded: 2 bytes are missing` becomes `… can't be decoded: # bytes are missing`.
 */
export function failureReason(error: string, title: string): string {
  const withoutTitle = title === '' ? error : error.replaceAll(title, '…');
  const reason = withoutTitle
    .replace(/\d+(?:[.,]\d+)*/g, '#')
    .replace(/\s+/g, ' ')
    .trim();
  return reason.length > MAX_REASON ? `${reason.slice(0, MAX_REASON - 1)}…` : reason;
}

/** Items that failed alike. */
export interface FailureGroup {
  reason: string;
  kind: string;
  count: number;
  /** The sentence of one of them. */
  example: string;
  lastAt: string;
}
