import type { Size } from './geometry.js';

/** A possible replacement for a deleted rendition. */
export interface Substitute extends Size {
  mime: string;
}

/** The weight of a different shape relative to a different size: a distorted layout is worse than a larger file. */
const SHAPE_WEIGHT = 4;

/**
 * Finds the best replacement for a deleted rendition: similar in shape, and rather larger than smaller, because
 * browsers scale down better than up. Among equals, the same type wins.
 *
 * @returns null when there is nothing to choose from
 */
export function nearestRendition<Candidate extends Substitute>(
  gone: Substitute,
  candidates: readonly Candidate[],
): Candidate | null {
  let best: { candidate: Candidate; distance: number } | null = null;
  for (const candidate of candidates) {
    const distance = distanceTo(gone, candidate);
    if (best === null || distance < best.distance) best = { candidate, distance };
  }
  return best?.candidate ?? null;
}

function distanceTo(gone: Substitute, candidate: Substitute): number {
  const shape = Math.abs(Math.log(candidate.width / candidate.height / (gone.width / gone.height)));
  const scale = Math.log(candidate.width / gone.width);
  const size = scale >= 0 ? scale : -scale * 2;
  return shape * SHAPE_WEIGHT + size + (candidate.mime === gone.mime ? 0 : 0.01);
}
