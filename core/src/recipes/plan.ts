import type { FocalPoint } from '../library/focal-point.js';
import { outputMime } from './applies.js';
import { type ChainFault, type ChainStart, chainSize, startChain } from './chain.js';
import { type Region, type Size, toWholePixels } from './geometry.js';
import type { Recipe } from './recipe.js';
import { type PictureStep, splitSource } from './steps.js';

/** One rendition to be made. `region` is in pixels of its input; null uses all of it. */
export interface PlannedRendition {
  recipe: Recipe;
  from: 'base' | 'source';
  region: Region | null;
  /** After the initial crop and resampling. */
  size: Size;
  /** The remaining steps, and the position of the focal point. */
  rest: PictureStep[];
  focal: FocalPoint;
  mime: string;
}

/** A chain that cannot be applied to this picture. */
export interface PlanFault {
  recipe: Recipe;
  fault: ChainFault;
}

/** The plan for all renditions of one picture: decoded once to `base`, and the rest derived from it. */
export interface RenditionPlan {
  /** The size to which the source is decoded once; null when every rendition is made from the source. */
  base: Size | null;
  renditions: PlannedRendition[];
  faults: PlanFault[];
}

/**
 * How much larger the base must be than a rendition made from it. Below this, a second resampling is visible: the
 * structural similarity to the direct result falls below 0.98 (measured by the test of the image engine).
 */
const MIN_REDUCTION = 1.2;

/**
 * Plans the renditions of one picture. The largest required scale becomes the base; a rendition is derived from it
 * when it has exactly its scale or is clearly smaller, and otherwise made from the source.
 *
 * @param source pixels as displayed, with the orientation applied
 */
export function planRenditions(
  source: Size & { mime: string },
  recipes: readonly Recipe[],
  focal?: FocalPoint,
): RenditionPlan {
  const wanted: { recipe: Recipe; start: ChainStart }[] = [];
  const faults: PlanFault[] = [];
  for (const recipe of recipes) {
    const { chain } = splitSource(recipe.steps);
    const begun = startChain(source, chain, focal);
    // What can't be is known before a pixel is decoded, unless it depends on what a trim leaves.
    const size = chainSize(source, chain, { ...(focal && { focal }) });
    const isKnown = !chain.some(({ op }) => op === 'trim');
    if (!begun.ok) faults.push({ recipe, fault: begun.fault });
    else if (!size.ok && isKnown) faults.push({ recipe, fault: size.fault });
    else wanted.push({ recipe, start: begun.start });
  }
  const baseScale = Math.min(1, Math.max(0, ...wanted.map(({ start }) => scaleOf(start))));
  const base = {
    width: Math.max(1, Math.round(source.width * baseScale)),
    height: Math.max(1, Math.round(source.height * baseScale)),
  };

  const renditions = wanted.map(({ recipe, start }): PlannedRendition => {
    const { region, size, rest, focal: within } = start;
    const reduction = baseScale / scaleOf(start);
    const fromBase = wanted.length > 1 && (Math.abs(reduction - 1) < 1e-3 || reduction >= MIN_REDUCTION);
    const scale = fromBase ? baseScale : 1;
    const canvas = fromBase ? base : source;
    const isWhole = region.width >= source.width - 1e-6 && region.height >= source.height - 1e-6;
    return {
      recipe,
      mime: outputMime(recipe, source.mime),
      size,
      rest,
      focal: within,
      from: fromBase ? 'base' : 'source',
      region: isWhole ? null : toWholePixels(region, scale, canvas),
    };
  });
  return { base: renditions.some(({ from }) => from === 'base') ? base : null, renditions, faults };
}

function scaleOf({ region, size }: { region: Region; size: Size }): number {
  return Math.max(size.width / region.width, size.height / region.height);
}
