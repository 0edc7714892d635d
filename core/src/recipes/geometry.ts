import type { FocalPoint } from '../library/focal-point.js';
import { parseAspect } from './aspect.js';
import type { Centre, CropStep, FitStep, PictureStep } from './steps.js';

export interface Size {
  width: number;
  height: number;
}

/** A part of a picture in its own pixels from the top left; not rounded. */
export interface Region extends Size {
  left: number;
  top: number;
}

/** A region of the source and its output size. */
export interface Geometry {
  region: Region;
  size: Size;
}

const CENTRE: FocalPoint = { x: 0.5, y: 0.5 };

/** A step that crops and resizes: several of them are combined into one crop and one resampling. */
export type GeometricStep = FitStep | CropStep;

/** Tells whether a step only crops and resizes, and does not depend on the pixels. */
export function isGeometric(step: PictureStep): step is GeometricStep {
  if (step.op === 'crop') return step.left !== undefined || step.around !== 'interesting';
  return (
    step.op === 'fit' && step.mode !== 'contain' && !(step.mode === 'cover' && step.around === 'interesting')
  );
}

/**
 * Applies steps to the source size and returns the remaining region and its size in whole pixels.
 *
 * @returns null when a crop is outside the picture
 */
export function followSteps(
  source: Size,
  steps: readonly GeometricStep[],
  focal: FocalPoint = CENTRE,
): Geometry | null {
  let geometry: Geometry = { region: { left: 0, top: 0, ...source }, size: source };
  for (const step of steps) {
    const next =
      step.op === 'crop' ? crop(geometry, step, source, focal) : fit(geometry, step, source, focal);
    if (next === null) return null;
    geometry = next;
  }
  return geometry;
}

function fit(geometry: Geometry, step: FitStep, source: Size, focal: FocalPoint): Geometry {
  if (step.mode === 'cover')
    return cover(geometry, step, source, anchorOf(step.around, geometry.region, source, focal));
  if (step.mode === 'fill') return { region: geometry.region, size: stretchedSize(geometry.size, step) };
  return { region: geometry.region, size: insideSize(geometry.size, step) };
}

/** The position and size of a crop in whole pixels. Null when it is outside. */
export function cutOf(size: Size, step: CropStep, focal: FocalPoint = CENTRE): Region | null {
  const wanted = cutSize(size, step);
  if (step.left === undefined || step.top === undefined)
    return {
      ...wanted,
      left: clamp(Math.round(focal.x * size.width - wanted.width / 2), 0, size.width - wanted.width),
      top: clamp(Math.round(focal.y * size.height - wanted.height / 2), 0, size.height - wanted.height),
    };
  const [perX, perY] = step.unit === 'percent' ? [size.width / 100, size.height / 100] : [1, 1];
  const left = Math.round(step.left * perX);
  const top = Math.round(step.top * perY);
  if (left >= size.width || top >= size.height) return null;
  return {
    left,
    top,
    width: Math.min(wanted.width, size.width - left),
    height: Math.min(wanted.height, size.height - top),
  };
}

/** The size of a crop, at most the picture's. */
export function cutSize(size: Size, { aspect, unit, width, height }: CropStep): Size {
  const ratio = aspect === undefined ? null : parseAspect(aspect);
  if (ratio) {
    const isWider = size.width * ratio.height >= size.height * ratio.width;
    return isWider
      ? {
          width: Math.min(size.width, roundSide((size.height * ratio.width) / ratio.height)),
          height: size.height,
        }
      : {
          width: size.width,
          height: Math.min(size.height, roundSide((size.width * ratio.height) / ratio.width)),
        };
  }
  const [perX, perY] = unit === 'percent' ? [size.width / 100, size.height / 100] : [1, 1];
  return {
    width: Math.min(size.width, roundSide((width ?? size.width) * perX)),
    height: Math.min(size.height, roundSide((height ?? size.height) * perY)),
  };
}

function crop(geometry: Geometry, step: CropStep, source: Size, focal: FocalPoint): Geometry | null {
  const { region, size } = geometry;
  const inPart = focalWithin(region, source, anchorOf(step.around, region, source, focal));
  const cut = cutOf(size, step, inPart);
  if (cut === null) return null;
  const [perX, perY] = [region.width / size.width, region.height / size.height];
  return {
    region: {
      left: region.left + cut.left * perX,
      top: region.top + cut.top * perY,
      width: cut.width * perX,
      height: cut.height * perY,
    },
    size: { width: cut.width, height: cut.height },
  };
}

/** Converts a point of the source to one of a region; clamped to the nearest edge when it was cut off. */
export function focalWithin(region: Region, source: Size, focal: FocalPoint): FocalPoint {
  return {
    x: clamp((focal.x * source.width - region.left) / region.width, 0, 1),
    y: clamp((focal.y * source.height - region.top) / region.height, 0, 1),
  };
}

/** The point of the source that a crop of a region keeps in view. */
function anchorOf(around: Centre | undefined, region: Region, source: Size, focal: FocalPoint): FocalPoint {
  if (around !== 'centre') return focal;
  return {
    x: (region.left + region.width / 2) / source.width,
    y: (region.top + region.height / 2) / source.height,
  };
}

/**
 * Scales to fit into the box. The scale is the smaller of the two ratios, and each side is rounded half up and at
 * least 1: common practice, as the `WxH>` geometry of general-purpose image tools.
 */
export function insideSize(size: Size, step: Pick<FitStep, 'width' | 'height' | 'enlarge'>): Size {
  const scale = Math.min(
    (step.width ?? Number.POSITIVE_INFINITY) / size.width,
    (step.height ?? Number.POSITIVE_INFINITY) / size.height,
  );
  if (!Number.isFinite(scale) || (scale >= 1 && !step.enlarge)) return size;
  return { width: roundSide(size.width * scale), height: roundSide(size.height * scale) };
}

/** Each side separately; a missing side stays unchanged. */
function stretchedSize(size: Size, { width, height, enlarge }: FitStep): Size {
  const bound = (wanted: number | undefined, own: number) =>
    wanted === undefined ? own : enlarge ? wanted : Math.min(wanted, own);
  return { width: bound(width, size.width), height: bound(height, size.height) };
}

/** The output size of `cover`: the box, or the largest size with its proportions when the picture is smaller. */
export function coverSize(size: Size, { width, height, enlarge }: FitStep): Size {
  const box = { width: width ?? size.width, height: height ?? size.height };
  const scale = enlarge ? 1 : Math.min(1, size.width / box.width, size.height / box.height);
  return { width: roundSide(box.width * scale), height: roundSide(box.height * scale) };
}

/**
 * Crops the largest region with the box's proportions around the focal point; a small source gives a smaller picture,
 * and is not enlarged.
 */
function cover(geometry: Geometry, step: FitStep, source: Size, focal: FocalPoint): Geometry {
  const box = { width: step.width ?? geometry.size.width, height: step.height ?? geometry.size.height };
  const { region, size } = geometry;
  const isWiderThanBox = size.width * box.height >= size.height * box.width;
  const cut = isWiderThanBox
    ? { width: (box.width * size.height) / box.height, height: size.height }
    : { width: size.width, height: (box.height * size.width) / box.width };
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
    size: coverSize(size, step),
  };
}

/** Rounds a region to whole pixels inside a picture of `size`, which is `scale` times as large as the source. */
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

/** Rounds half up; a side is at least 1. */
export function roundSide(value: number): number {
  return Math.max(1, Math.floor(value + 0.5));
}

function clamp(value: number, low: number, high: number): number {
  return Math.min(Math.max(value, low), Math.max(low, high));
}
