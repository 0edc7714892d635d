/** Measurements of a recipe's existing renditions. */
export interface RenditionSample {
  /** Their pixels and bytes, and the rendering time. */
  pixels: number;
  bytes: number;
  workMs: number | null;
  /** The pixels that the recipe would make from the same source now; null when it would fail. */
  pixelsAfter: number | null;
}

/** The expected cost of a rebuild. Null where nothing has been measured. */
export interface RebuildEstimate {
  /** Seconds with the current workers. */
  seconds: number | null;
  bytesAfter: number | null;
}

/**
 * Estimates a rebuild from measurements: bytes grow with the pixels, and the time with half of them, because decoding
 * the source takes the same time (common practice, no source).
 *
 * @param count how many renditions would be made
 * @param slots how many pictures are processed concurrently
 */
export function estimateRebuild(
  samples: readonly RenditionSample[],
  count: number,
  slots: number,
): RebuildEstimate {
  if (count === 0) return { seconds: 0, bytesAfter: 0 };
  const usable = samples.filter(({ pixels, pixelsAfter }) => pixels > 0 && pixelsAfter !== null);
  if (usable.length === 0) return { seconds: null, bytesAfter: null };
  const growth = ({ pixels, pixelsAfter }: RenditionSample) => (pixelsAfter ?? pixels) / pixels;
  const bytes = mean(usable.map((sample) => sample.bytes * growth(sample)));
  const timed = usable.filter(({ workMs }) => workMs !== null);
  const ms =
    timed.length === 0 ? null : mean(timed.map((one) => (one.workMs ?? 0) * (0.5 + 0.5 * growth(one))));
  return {
    seconds: ms === null ? null : (ms * count) / 1000 / Math.max(1, slots),
    bytesAfter: Math.round(bytes * count),
  };
}

function mean(values: readonly number[]): number {
  return values.reduce((sum, value) => sum + value, 0) / values.length;
}
