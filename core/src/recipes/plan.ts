import type { FocalPoint } from '../library/asset.js';
import { outputMime } from './applies.js';
import { followSteps, type Region, type Size, toWholePixels } from './geometry.js';
import type { Recipe } from './recipe.js';

/** One rendition to be made. `region` is in pixels of what it is made from; null takes the whole. */
export interface PlannedRendition {
  recipe: Recipe;
  from: 'base' | 'source';
  region: Region | null;
  size: Size;
  mime: string;
}

/** How all renditions of one picture are made: decoded once to `base`, and the rest from there. */
export interface RenditionPlan {
  /** The size to which the source is decoded once; null when every rendition is made from the source. */
  base: Size | null;
  renditions: PlannedRendition[];
}

/**
 * How much larger the base must be than a rendition made from it. Below this a second resampling shows: the structural
 * similarity to the direct result falls under 0.98 (measured by the test of the image engine).
 */
const MIN_REDUCTION = 1.2;

/**
 * Plans the renditions of one picture. The largest scale that any of them needs becomes the base; a rendition is
 * derived from it when it has exactly its scale or is clearly smaller, and else made from the source.
 *
 * @param source pixels as displayed, with the orientation applied
 */
export function planRenditions(
  source: Size & { mime: string },
  recipes: readonly Recipe[],
  focal?: FocalPoint,
): RenditionPlan {
  const wanted = recipes.map((recipe) => ({
    recipe,
    mime: outputMime(recipe, source.mime),
    ...followSteps(source, recipe.steps, focal),
  }));
  const derivable = wanted.filter(({ recipe }) => recipe.output.metadata !== 'all');
  const scales = derivable.map(scaleOf);
  const baseScale = Math.min(1, Math.max(0, ...scales));
  const base = {
    width: Math.max(1, Math.round(source.width * baseScale)),
    height: Math.max(1, Math.round(source.height * baseScale)),
  };

  const renditions = wanted.map(({ recipe, mime, region, size }): PlannedRendition => {
    const reduction = baseScale / scaleOf({ region, size });
    const fromBase =
      derivable.length > 1 &&
      recipe.output.metadata !== 'all' &&
      (Math.abs(reduction - 1) < 1e-3 || reduction >= MIN_REDUCTION);
    const scale = fromBase ? baseScale : 1;
    const canvas = fromBase ? base : source;
    const isWhole = region.width >= source.width - 1e-6 && region.height >= source.height - 1e-6;
    return {
      recipe,
      mime,
      size,
      from: fromBase ? 'base' : 'source',
      region: isWhole ? null : toWholePixels(region, scale, canvas),
    };
  });
  return { base: renditions.some(({ from }) => from === 'base') ? base : null, renditions };
}

function scaleOf({ region, size }: { region: Region; size: Size }): number {
  return Math.max(size.width / region.width, size.height / region.height);
}
