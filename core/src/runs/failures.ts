/** The maximum length of a stored reason. */
const MAX_REASON = 160;
const TRIED = / \(tried (?:once|\d+ times)\)$/;

/**
 * The failure group of a message: the sentence without the file's name, numbers and attempts, so that equal failures
 * form one group. `dusk.jpg can't be decoded: 2 bytes are missing` becomes `… can't be decoded: # bytes are missing`.
 */
export function failureReason(error: string, title: string): string {
  const plain = error.replace(TRIED, '');
  const withoutTitle = title === '' ? plain : plain.replaceAll(title, '…');
  const reason = withoutTitle
    .replace(/\d+(?:[.,]\d+)*/g, '#')
    .replace(/\s+/g, ' ')
    .trim();
  return reason.length > MAX_REASON ? `${reason.slice(0, MAX_REASON - 1)}…` : reason;
}

/** Items that failed for the same reason. */
export interface FailureGroup {
  reason: string;
  kind: string;
  count: number;
  /** An example message. */
  example: string;
  lastAt: string;
}
