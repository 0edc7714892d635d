import type { Size } from './geometry.js';

/** A file that can be shown instead of another. */
export interface Substitute extends Size {
  mime: string;
}

/** How much another shape counts against another size: a squeezed layout is worse than a larger file. */
const SHAPE_WEIGHT = 4;

/**
 * Finds what can best be shown in the place of a rendition that was removed: of about its shape, and rather larger than
 * smaller, because a browser scales down better than up. Of two that are equally near, the same type wins.
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
