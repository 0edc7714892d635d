import type { Placement } from './plan-copies.js';

/** What a folder says about the copies of its files and of those below it. */
export interface FolderPlacement extends Placement {
  /** The store that visitors are sent to once it holds a file; null serves from here. One of `stores`. */
  serveFrom: string | null;
  /** Whether pages are given the addresses of that store, instead of being led to it from here. */
  rewritePages: boolean;
}

/** The answer of `GET /folders/{id}/placement`. */
export interface FolderPlacementAnswer {
  /** Null when the folder takes what holds above it. */
  own: FolderPlacement | null;
  effective: EffectivePlacement;
}

export interface EffectivePlacement extends FolderPlacement {
  /** The path of the folder that sets it; null when no folder does. */
  from: string | null;
}

/** The most days for which a placement keeps files in the home store. */
export const MAX_KEEP_DAYS = 3650;

/** Where no folder says anything, files stay in the home store. */
export const NO_PLACEMENT: FolderPlacement = {
  stores: [],
  serveFrom: null,
  keepLocal: true,
  rewritePages: false,
};

/**
 * The placement that holds in a folder: that of the nearest folder that has one, as a whole. Parts of several are never
 * mixed, so that a folder can also say that nothing is placed.
 *
 * @param chain the folders from the root down, as far as they have a placement
 */
export function resolvePlacement(
  chain: readonly { path: string; placement: FolderPlacement }[],
): EffectivePlacement {
  const nearest = chain.at(-1);
  return nearest ? { ...nearest.placement, from: nearest.path } : { ...NO_PLACEMENT, from: null };
}
