/** What a store charges; the currency is the user's own. */
export interface StorePrices {
  /** For a gigabyte (10⁹ bytes) stored for a month. */
  gigabyteMonth: number;
  /** For a thousand requests that store an object. */
  thousandRequests: number;
}

/** How fast files were sent lately. */
export interface SendingRate {
  bytesPerSecond: number;
  filesPerSecond: number;
}

/** What placing files would take, in the answer of a rehearsal. */
export interface PlacingEstimate {
  /** Files to store, in all stores. */
  files: number;
  bytes: number;
  /** Null while nothing was sent that could be measured. */
  seconds: number | null;
  /** Null without prices. */
  cost: { once: number; perMonth: number } | null;
}

const GIGABYTE = 1e9;
const THOUSAND = 1000;

/**
 * Estimates what storing files takes. Small files are limited by requests, large ones by bytes: the slower of the two
 * counts.
 */
export function estimatePlacing(
  { files, bytes }: { files: number; bytes: number },
  rate: SendingRate | null,
  prices: StorePrices | null,
): PlacingEstimate {
  return {
    files,
    bytes,
    seconds: rate === null ? null : Math.max(bytes / rate.bytesPerSecond, files / rate.filesPerSecond),
    cost: prices && {
      once: (files / THOUSAND) * prices.thousandRequests,
      perMonth: (bytes / GIGABYTE) * prices.gigabyteMonth,
    },
  };
}

/**
 * Measures how fast files were sent, from when they were stored. Pauses between them don't count: only times in which
 * something was stored at least once in a while.
 *
 * @param stored the sizes of files, and when they were stored, in milliseconds, in any order
 */
export function measureSending(
  stored: readonly { bytes: number; atMs: number }[],
  { longestPauseMs = 10_000 }: { longestPauseMs?: number } = {},
): SendingRate | null {
  const inOrder = [...stored].sort((a, b) => a.atMs - b.atMs);
  let ms = 0;
  let bytes = 0;
  let files = 0;
  for (let n = 1; n < inOrder.length; n += 1) {
    const [before, now] = [inOrder[n - 1], inOrder[n]];
    if (!before || !now || now.atMs - before.atMs > longestPauseMs) continue;
    ms += now.atMs - before.atMs;
    bytes += now.bytes;
    files += 1;
  }
  return ms === 0 || bytes === 0
    ? null
    : { bytesPerSecond: (1000 * bytes) / ms, filesPerSecond: (1000 * files) / ms };
}
