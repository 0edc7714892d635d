import type { FocalPoint } from '../library/asset.js';
import type { FitStep, Step } from './recipe.js';

export interface Size {
  width: number;
  height: number;
}

/** A part of a picture in its own pixels from the top left; not rounded. */
export interface Region extends Size {
  left: number;
  top: number;
}

/** Which part of the source becomes a picture of which size. */
export interface Geometry {
  region: Region;
  size: Size;
}

const CENTRE: FocalPoint = { x: 0.5, y: 0.5 };

/** Follows a chain of steps from the whole source to the part of it that remains and its size in whole pixels. */
export function followSteps(source: Size, steps: readonly Step[], focal: FocalPoint = CENTRE): Geometry {
  const whole: Geometry = { region: { left: 0, top: 0, ...source }, size: source };
  return steps.reduce(
    (geometry, step) =>
      step.mode === 'cover' ? cover(geometry, step, source, focal) : inside(geometry, step),
    whole,
  );
}

/**
 * Scales so that the picture fits the box whole. The scale is the smaller of the two ratios, and each side is rounded
 * half up and is at least 1: common practice, the same as the `WxH>` geometry of general-purpose image tools.
 */
function inside(geometry: Geometry, step: FitStep): Geometry {
  const { width, height } = geometry.size;
  const scale = Math.min(
    (step.width ?? Number.POSITIVE_INFINITY) / width,
    (step.height ?? Number.POSITIVE_INFINITY) / height,
  );
  if (!Number.isFinite(scale) || (scale >= 1 && !step.enlarge)) return geometry;
  return {
    region: geometry.region,
    size: { width: roundSide(width * scale), height: roundSide(height * scale) },
  };
}

/** Cuts the largest part with the box's proportions around the focal point; a small source gives a smaller picture, not a blown-up one. */
function cover(geometry: Geometry, step: FitStep, source: Size, focal: FocalPoint): Geometry {
  const box = { width: step.width ?? geometry.size.width, height: step.height ?? geometry.size.height };
  const { region, size } = geometry;
  const isWiderThanBox = size.width * box.height >= size.height * box.width;
  const cut = isWiderThanBox
    ? { width: (box.width * size.height) / box.height, height: size.height }
    : { width: size.width, height: (box.height * size.width) / box.width };
  const scale = step.enlarge ? 1 : Math.min(1, cut.width / box.width, cut.height / box.height);
  const part = {
    width: (cut.width * region.width) / size.width,
    height: (cut.height * region.height) / size.height,
  };
  return {
    region: {
      left: clamp(
        focal.x * source.width - part.width / 2,
        region.left,
        region.left + region.width - part.width,
      ),
      top: clamp(
        focal.y * source.height - part.height / 2,
        region.top,
        region.top + region.height - part.height,
      ),
      ...part,
    },
    size: { width: roundSide(box.width * scale), height: roundSide(box.height * scale) },
  };
}

/** Brings a region to whole pixels that lie inside a picture of `size`, `scale` times as large as the source. */
export function toWholePixels(region: Region, scale: number, size: Size): Region {
  const left = Math.min(Math.round(region.left * scale), size.width - 1);
  const top = Math.min(Math.round(region.top * scale), size.height - 1);
  return {
    left,
    top,
    width: clamp(Math.round(region.width * scale), 1, size.width - left),
    height: clamp(Math.round(region.height * scale), 1, size.height - top),
  };
}

function roundSide(value: number): number {
  return Math.max(1, Math.floor(value + 0.5));
}

function clamp(value: number, low: number, high: number): number {
  return Math.min(Math.max(value, low), Math.max(low, high));
}
