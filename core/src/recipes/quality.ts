/** What a search among qualities came to. */
export interface Encoded<Result> {
  quality: number;
  bytes: number;
  result: Result;
}

type Encode<Result> = (quality: number) => Promise<{ bytes: number; result: Result }>;

/** Below it a picture falls apart, and bytes hardly shrink. */
export const LEAST_QUALITY = 5;

/**
 * Finds the highest quality from {@link LEAST_QUALITY} to `most` at which a file has at most `maxBytes`. Bytes grow with
 * the quality, so the range is halved; about six files are made.
 *
 * @returns null when the smallest file is too large as well, with its bytes in `leastBytes`
 */
export async function qualityWithin<Result>(
  maxBytes: number,
  most: number,
  encode: Encode<Result>,
): Promise<{ ok: true; found: Encoded<Result> } | { ok: false; leastBytes: number }> {
  const top = await encode(most);
  if (top.bytes <= maxBytes) return { ok: true, found: { quality: most, ...top } };
  let [low, high] = [Math.min(LEAST_QUALITY, most), most];
  const bottom = await encode(low);
  if (bottom.bytes > maxBytes) return { ok: false, leastBytes: bottom.bytes };
  let found: Encoded<Result> = { quality: low, ...bottom };
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2);
    const made = await encode(middle);
    if (made.bytes <= maxBytes) {
      found = { quality: middle, ...made };
      low = middle;
    } else high = middle;
  }
  return { ok: true, found };
}

/**
 * Finds the lowest quality up to `most` at which the likeness of a file is at least `likeness`; `most` when even that one
 * doesn't reach it, and then its likeness says so. Likeness grows with the quality, so the range is halved.
 */
export async function qualityOfLikeness<Result>(
  likeness: number,
  most: number,
  encode: (quality: number) => Promise<{ bytes: number; likeness: number; result: Result }>,
): Promise<Encoded<Result> & { likeness: number }> {
  let best = { quality: most, ...(await encode(most)) };
  let [low, high] = [Math.min(LEAST_QUALITY, most) - 1, most];
  while (high - low > 1 && best.likeness >= likeness) {
    const middle = Math.floor((low + high) / 2);
    const made = await encode(middle);
    if (made.likeness >= likeness) {
      best = { quality: middle, ...made };
      high = middle;
    } else low = middle;
  }
  return best;
}
