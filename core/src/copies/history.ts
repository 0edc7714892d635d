/** What was known of a store at a moment. */
export interface StoreSample {
  /** Milliseconds since 1970. */
  atMs: number;
  /** Null when only `sent` is known. */
  bytes: number | null;
  copies: number | null;
  /** Bytes sent to it since the sample before. */
  sent: number;
}

/** A part of the history of a store. */
export interface StorePeriod {
  /** When it begins, UTC. */
  at: string;
  /** What the store held at its end; null before anything is known. */
  bytes: number | null;
  copies: number | null;
  /** Bytes sent to it meanwhile. */
  sent: number;
}

/** The answer of `GET /stores/{id}/history`. */
export interface StoreHistoryAnswer {
  /** The length of a period. */
  stepSeconds: number;
  items: StorePeriod[];
}

/** Periods for which history is shown, with the length of their parts: about as many as a chart has room for. */
export const HISTORY_DAYS = [1, 14, 365] as const;
export type HistoryDays = (typeof HISTORY_DAYS)[number];

const STEP_SECONDS: Record<HistoryDays, number> = { 1: 300, 14: 3 * 3600, 365: 86_400 };
const DAY_MS = 86_400_000;

/** How often stores are sampled. */
export const SAMPLE_SECONDS = 300;

/**
 * Sums up samples into periods of equal length that end now. What a store holds is carried on until something else is
 * known.
 *
 * @param samples by time; the last one before the first period counts for what the store held at the beginning
 */
export function sumUpHistory(
  samples: readonly StoreSample[],
  { days, nowMs }: { days: HistoryDays; nowMs: number },
): StoreHistoryAnswer {
  const stepSeconds = STEP_SECONDS[days];
  const stepMs = stepSeconds * 1000;
  const last = Math.floor(nowMs / stepMs) * stepMs;
  const first = last - days * DAY_MS + stepMs;
  const items: StorePeriod[] = [];
  let at = 0;
  let held: Pick<StorePeriod, 'bytes' | 'copies'> = { bytes: null, copies: null };
  for (let begin = first; begin <= last; begin += stepMs) {
    let sent = 0;
    for (let one = samples[at]; one && one.atMs < begin + stepMs; one = samples[at]) {
      if (one.bytes !== null) held = { bytes: one.bytes, copies: one.copies };
      if (one.atMs >= begin) sent += one.sent;
      at += 1;
    }
    items.push({ at: new Date(begin).toISOString(), ...held, sent });
  }
  return { stepSeconds, items };
}
