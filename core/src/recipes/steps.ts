/** What a crop keeps: the middle, the asset's focal point, or the part with the most detail, skin and saturated colour. */
export const CENTRES = ['focal', 'centre', 'interesting'] as const;
export type Centre = (typeof CENTRES)[number];

/**
 * Resizes a picture to a box of `width` × `height` CSS pixels; a missing side does not limit. `inside` keeps the
 * whole picture; `cover` fills the box and cuts off the rest; `contain` keeps the whole picture and fills the rest of
 * the box with `background`; `fill` stretches it.
 */
export interface FitStep {
  op: 'fit';
  width?: number;
  height?: number;
  mode: 'inside' | 'cover' | 'contain' | 'fill';
  /** What `cover` keeps. @defaultValue 'focal' */
  around?: Centre;
  /** What `contain` fills with. @defaultValue 'transparent' */
  background?: string;
  /** @defaultValue false */
  enlarge?: boolean;
}

/**
 * Crops a region: a box by numbers, or the largest part with an aspect ratio. Without `left` and `top` it is placed
 * `around` something.
 */
export interface CropStep {
  op: 'crop';
  left?: number;
  top?: number;
  width?: number;
  height?: number;
  /** @defaultValue 'px' */
  unit?: 'px' | 'percent';
  /** `16:9`. */
  aspect?: string;
  /** @defaultValue 'focal' */
  around?: Centre;
}

/** Rotates clockwise; angles other than quarter turns enlarge the canvas and fill its corners. */
export interface RotateStep {
  op: 'rotate';
  degrees: number;
  /** @defaultValue 'transparent' */
  background?: string;
}

export interface FlipStep {
  op: 'flip';
  axis: 'horizontal' | 'vertical';
}

/**
 * Tone changes, as W3C Filter Effects Level 1 defines those of the same names; `tint` blends one colour over the
 * greyscale picture.
 */
export type ToneStep =
  | { op: 'greyscale'; amount?: number }
  | { op: 'sepia'; amount?: number }
  | { op: 'tint'; colour: string; amount?: number }
  | { op: 'brightness'; amount: number }
  | { op: 'contrast'; amount: number }
  | { op: 'saturation'; amount: number };

export interface BlurStep {
  op: 'blur';
  /** The standard deviation of the Gaussian, in pixels. */
  radius: number;
}

export interface SharpenStep {
  op: 'sharpen';
  /** The standard deviation of the mask's Gaussian, in pixels. @defaultValue 1 */
  radius?: number;
}

export interface PixelateStep {
  op: 'pixelate';
  /** The side of a block, in pixels. */
  size: number;
}

export interface BorderStep {
  op: 'border';
  width: number;
  colour: string;
}

export interface CornersStep {
  op: 'corners';
  radius: number;
}

/** Puts a colour behind transparent parts. */
export interface BackgroundStep {
  op: 'background';
  colour: string;
}

export const PLACES = [
  'top-left',
  'top',
  'top-right',
  'left',
  'middle',
  'right',
  'bottom-left',
  'bottom',
  'bottom-right',
] as const;
export type Place = (typeof PLACES)[number];

/**
 * Puts a picture of the library, or text, over the picture. Its size follows the picture's, so that it looks the same
 * on every rung of a ladder.
 */
export interface WatermarkStep {
  op: 'watermark';
  /** The path of a picture in the library: `/marks/seal.svg`. */
  picture?: string;
  words?: string;
  /** Of the text. @defaultValue '#ffffff' */
  colour?: string;
  /** @defaultValue 'bottom-right' */
  place?: Place;
  /** Percent of the picture's shorter side. @defaultValue 3 */
  margin?: number;
  /** Width in percent of the picture's. @defaultValue 20 */
  size?: number;
  /** 0–1. @defaultValue 0.7 */
  opacity?: number;
}

/** Trims borders of one colour. */
export interface TrimStep {
  op: 'trim';
  /** The tolerance from the corner's value 0–255. @defaultValue 10 */
  tolerance?: number;
}

/** Renders a page of a document. */
export interface PageStep {
  op: 'page';
  /** From 1. @defaultValue 1 */
  page?: number;
  /** Pixels per inch. @defaultValue 150 */
  dpi?: number;
}

/** Takes a frame of a video. */
export interface MomentStep {
  op: 'moment';
  /** Seconds from the beginning; when absent, a tenth of the duration. */
  at?: number;
}

/** Draws the wave form of a sound. */
export interface WaveStep {
  op: 'wave';
  /** @defaultValue 1200 */
  width?: number;
  /** @defaultValue 240 */
  height?: number;
  /** @defaultValue '#8a3a25' */
  colour?: string;
  /** @defaultValue 'transparent' */
  background?: string;
}

/** Converts a file that is not a picture to one; only as the first step. */
export type SourceStep = PageStep | MomentStep | WaveStep;

/** A step that changes a picture. */
export type PictureStep =
  | FitStep
  | CropStep
  | RotateStep
  | FlipStep
  | ToneStep
  | BlurStep
  | SharpenStep
  | PixelateStep
  | BorderStep
  | CornersStep
  | BackgroundStep
  | WatermarkStep
  | TrimStep;

export type Step = SourceStep | PictureStep;
export type StepOp = Step['op'];

/** Splits a chain into the source step and the picture steps. */
export function splitSource(steps: readonly Step[]): { source: SourceStep | null; chain: PictureStep[] } {
  const [first] = steps;
  const source = first && isSourceStep(first) ? first : null;
  return { source, chain: steps.filter((step): step is PictureStep => !isSourceStep(step)) };
}

export function isSourceStep(step: Step): step is SourceStep {
  return step.op === 'page' || step.op === 'moment' || step.op === 'wave';
}

export function isToneStep(step: Step): step is ToneStep {
  return (
    step.op === 'greyscale' ||
    step.op === 'sepia' ||
    step.op === 'tint' ||
    step.op === 'brightness' ||
    step.op === 'contrast' ||
    step.op === 'saturation'
  );
}

/** The paths of a chain's watermarks. */
export function watermarkPictures(steps: readonly Step[]): string[] {
  return steps.flatMap((step) =>
    step.op === 'watermark' && step.picture !== undefined ? [step.picture] : [],
  );
}
