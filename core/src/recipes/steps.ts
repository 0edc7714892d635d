/** What a cut keeps: the middle, the asset's focal point, or the part with most detail, skin and saturated colour. */
export const CENTRES = ['focal', 'centre', 'interesting'] as const;
export type Centre = (typeof CENTRES)[number];

/**
 * Brings a picture into a box of `width` × `height` CSS pixels; a side that is absent doesn't limit.
 * `inside` keeps the whole picture; `cover` fills the box and cuts off what hangs over; `contain` keeps the whole
 * picture and fills the rest of the box with `background`; `fill` stretches it.
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

/** Cuts out a part: a box by numbers, or the largest part of an aspect. Without `left` and `top` it lies `around` something. */
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

/** Turns clockwise; what is not a quarter turn enlarges the canvas and fills its corners. */
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

/** Changes of tone, as W3C Filter Effects Level 1 defines those of the same names; `tint` lays one colour over the grey picture. */
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

/** Puts a colour behind what is transparent. */
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

/** Lays a picture of the library, or words, over the picture. Its size follows the picture's, so that every rung of a ladder has it alike. */
export interface WatermarkStep {
  op: 'watermark';
  /** The path of a picture in the library: `/marks/seal.svg`. */
  picture?: string;
  words?: string;
  /** Of the words. @defaultValue '#ffffff' */
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

/** Cuts off edges of one colour. */
export interface TrimStep {
  op: 'trim';
  /** How far a value 0–255 may be from the corner's. @defaultValue 10 */
  tolerance?: number;
}

/** The page of a document that becomes the picture. */
export interface PageStep {
  op: 'page';
  /** From 1. @defaultValue 1 */
  page?: number;
  /** Pixels per inch. @defaultValue 150 */
  dpi?: number;
}

/** The moment of a film that becomes the picture. */
export interface MomentStep {
  op: 'moment';
  /** Seconds from the beginning; absent: a tenth of the film. */
  at?: number;
}

/** The wave form of a sound, as a drawing. */
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

/** How a file that is no picture becomes one; only ever the first step. */
export type SourceStep = PageStep | MomentStep | WaveStep;

/** A step that makes one picture from another. */
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

/** Splits a chain into how a picture is got, and what is done with it. */
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

/** The paths of the pictures that a chain lays over others. */
export function watermarkPictures(steps: readonly Step[]): string[] {
  return steps.flatMap((step) =>
    step.op === 'watermark' && step.picture !== undefined ? [step.picture] : [],
  );
}
