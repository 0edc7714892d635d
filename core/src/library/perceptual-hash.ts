/** The side of the greyscale picture from which a hash is computed, in pixels. */
export const HASH_INPUT_SIDE = 32;
const HASH_SIDE = 8;
/** The number of bits of a hash. */
export const HASH_BITS = 64;

const COSINES = Array.from({ length: HASH_SIDE }, (_, frequency) =>
  Array.from({ length: HASH_INPUT_SIDE }, (_, at) =>
    Math.cos(((2 * at + 1) * frequency * Math.PI) / (2 * HASH_INPUT_SIDE)),
  ),
);

/**
 * Computes the 64-bit DCT hash of a picture: its 8 × 8 lowest frequencies compared with their median. Similar
 * pictures have hashes that differ in few bits, even after scaling, recompression and moderate tone changes. Source:
 * C. Zauner, "Implementation and Benchmarking of Perceptual Image Hash Functions" (2010), section 3.2.1.
 *
 * @param grey 32 × 32 grey values 0–255, row by row
 * @returns 16 hexadecimal digits
 */
export function perceptualHash(grey: ArrayLike<number>): string {
  const side = HASH_INPUT_SIDE;
  if (grey.length !== side * side)
    throw new RangeError(`Expected ${side * side} grey values, got ${grey.length}`);
  const rows = Array.from({ length: side }, (_, y) =>
    COSINES.map((cosines) => cosines.reduce((sum, cosine, x) => sum + cosine * (grey[y * side + x] ?? 0), 0)),
  );
  const frequencies = COSINES.flatMap((cosines) =>
    Array.from({ length: HASH_SIDE }, (_, u) =>
      cosines.reduce((sum, cosine, y) => sum + cosine * (rows[y]?.[u] ?? 0), 0),
    ),
  );
  // The first coefficient is the mean brightness, which carries no structure and would distort the median.
  const threshold = median(frequencies.slice(1));
  let hex = '';
  for (let at = 0; at < HASH_BITS; at += 4) {
    const digit = frequencies
      .slice(at, at + 4)
      .reduce((bits, frequency, n) => bits * 2 + (frequency > threshold && at + n > 0 ? 1 : 0), 0);
    hex += digit.toString(16);
  }
  return hex;
}

/** Counts the bits in which two hashes differ. */
export function hashDistance(a: string, b: string): number {
  return (
    countBits(Number.parseInt(a.slice(0, 8), 16) ^ Number.parseInt(b.slice(0, 8), 16)) +
    countBits(Number.parseInt(a.slice(8), 16) ^ Number.parseInt(b.slice(8), 16))
  );
}

/** The number of bands into which a hash is split for lookups. */
export const HASH_BANDS = 4;
const BAND_BITS = HASH_BITS / HASH_BANDS;

/** The four bands of a hash, 16 bits each. */
export function hashBands(hash: string): number[] {
  return Array.from({ length: HASH_BANDS }, (_, band) =>
    Number.parseInt(hash.slice(band * 4, band * 4 + 4), 16),
  );
}

/**
 * Lists, for each band, the values that a hash within `distance` may have there in at least one of its bands: of
 * `distance` differing bits some band holds at most a quarter. Source: M. Norouzi, A. Punjani, D. Fleet, "Fast Search in
 * Hamming Space with Multi-Index Hashing" (2012), section 2.
 */
export function bandProbes(hash: string, distance: number): number[][] {
  const radius = Math.floor(distance / HASH_BANDS);
  return hashBands(hash).map((value) => withinRadius(value, radius, 0));
}

function withinRadius(value: number, radius: number, firstBit: number): number[] {
  const found = [value];
  if (radius === 0) return found;
  for (let bit = firstBit; bit < BAND_BITS; bit += 1)
    found.push(...withinRadius(value ^ (1 << bit), radius - 1, bit + 1));
  return found;
}

/** A pair of similar items. */
export interface SimilarPair {
  a: string;
  b: string;
  distance: number;
}

/** Groups items linked by pairs, directly or through others; each group in order of appearance. */
export function groupPairs(pairs: readonly SimilarPair[]): string[][] {
  const leader = new Map<string, string>();
  const find = (id: string): string => {
    const above = leader.get(id) ?? id;
    if (above === id) return id;
    const top = find(above);
    leader.set(id, top);
    return top;
  };
  for (const { a, b } of pairs) {
    for (const id of [a, b]) if (!leader.has(id)) leader.set(id, id);
    leader.set(find(b), find(a));
  }
  const groups = new Map<string, string[]>();
  for (const id of leader.keys()) {
    const top = find(id);
    groups.set(top, [...(groups.get(top) ?? []), id]);
  }
  return [...groups.values()];
}

function countBits(bits: number): number {
  let left = bits >>> 0;
  let count = 0;
  while (left !== 0) {
    left &= left - 1;
    count += 1;
  }
  return count;
}

function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length / 2;
  return sorted.length % 2 === 1
    ? (sorted[Math.floor(middle)] as number)
    : ((sorted[middle - 1] as number) + (sorted[middle] as number)) / 2;
}
