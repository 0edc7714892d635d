import type { FocalPoint } from '../library/focal-point.js';
import {
  coverSize,
  cutOf,
  cutSize,
  focalWithin,
  followSteps,
  type GeometricStep,
  insideSize,
  isGeometric,
  type Region,
  roundSide,
  type Size,
  toWholePixels,
} from './geometry.js';
import { MAX_SIDE_PX } from './step-fields.js';
import { isToneStep, type PictureStep, type RotateStep, type ToneStep, type WatermarkStep } from './steps.js';
import { type WatermarkBox, watermarkBox } from './watermark-box.js';

/** One pixel operation with every number resolved. */
export type Operation =
  | { kind: 'extract'; region: Region }
  | { kind: 'resize'; size: Size }
  | { kind: 'extract-interesting'; size: Size }
  | { kind: 'flip'; axis: 'horizontal' | 'vertical' }
  | { kind: 'rotate'; degrees: number; background: string; size: Size }
  | { kind: 'extend'; left: number; top: number; right: number; bottom: number; colour: string }
  | { kind: 'tone'; tone: ToneStep }
  | { kind: 'blur'; sigma: number }
  | { kind: 'sharpen'; sigma: number }
  | { kind: 'pixelate'; size: number }
  | { kind: 'corners'; radius: number }
  | { kind: 'background'; colour: string }
  | { kind: 'watermark'; step: WatermarkStep; box: WatermarkBox }
  | { kind: 'trim'; tolerance: number };

/** The input of a step. */
export interface Canvas {
  size: Size;
  focal: FocalPoint;
}

/** Why a chain cannot be applied, and at which of its picture steps (from 0). */
export interface ChainFault {
  step: number;
  code: 'crop-outside' | 'too-many-pixels';
  message: string;
}

/** The step's operations, and the canvas after them. After `trim`, the canvas is known only from the pixels. */
export type Resolved =
  | { ok: true; operations: Operation[]; after: Canvas; isExact: boolean }
  | { ok: false; fault: Omit<ChainFault, 'step'> };

/**
 * Resolves one step on a canvas of a known size. `corners` and `border` keep the proportions of the content; a
 * rotation other than by right angles gives the bounding box of the rotated picture, each side rounded half up.
 */
export function resolveStep(step: PictureStep, canvas: Canvas): Resolved {
  if (isToneStep(step)) return unchanged(canvas, { kind: 'tone', tone: step });
  switch (step.op) {
    case 'fit':
    case 'crop':
      return resolveShape(step, canvas);
    case 'rotate':
      return resolveRotation(step, canvas);
    case 'flip': {
      const { x, y } = canvas.focal;
      const focal = step.axis === 'horizontal' ? { x: 1 - x, y } : { x, y: 1 - y };
      return resolved([{ kind: 'flip', axis: step.axis }], { size: canvas.size, focal });
    }
    case 'blur':
      return unchanged(canvas, { kind: 'blur', sigma: step.radius });
    case 'sharpen':
      return unchanged(canvas, { kind: 'sharpen', sigma: step.radius ?? 1 });
    case 'pixelate':
      return unchanged(canvas, { kind: 'pixelate', size: step.size });
    case 'border':
      return extended(
        canvas,
        { left: step.width, top: step.width, right: step.width, bottom: step.width },
        step.colour,
      );
    case 'corners':
      return unchanged(canvas, {
        kind: 'corners',
        radius: Math.min(step.radius, Math.floor(Math.min(canvas.size.width, canvas.size.height) / 2)),
      });
    case 'background':
      return unchanged(canvas, { kind: 'background', colour: step.colour });
    case 'watermark':
      return unchanged(canvas, { kind: 'watermark', step, box: watermarkBox(step, canvas.size) });
    case 'trim':
      return {
        ok: true,
        operations: [{ kind: 'trim', tolerance: step.tolerance ?? 10 }],
        after: canvas,
        isExact: false,
      };
  }
}

/** A chain, split where pixels are first needed: a crop with one resampling, and the remaining steps. */
export interface ChainStart {
  region: Region;
  size: Size;
  /** Within the crop. */
  focal: FocalPoint;
  rest: PictureStep[];
  /** The number of steps combined into the crop. */
  taken: number;
}

/** Combines the first steps of a chain into one crop and one resampling. */
export function startChain(
  source: Size,
  chain: readonly PictureStep[],
  focal: FocalPoint = { x: 0.5, y: 0.5 },
): { ok: true; start: ChainStart } | { ok: false; fault: ChainFault } {
  const end = chain.findIndex((step) => !isGeometric(step));
  const taken = end < 0 ? chain.length : end;
  const prefix = chain.slice(0, taken) as GeometricStep[];
  const geometry = followSteps(source, prefix, focal);
  if (geometry === null) {
    const step = prefix.findIndex(
      (_, index) => followSteps(source, prefix.slice(0, index + 1), focal) === null,
    );
    return { ok: false, fault: { step, ...cropOutside(source) } };
  }
  // A large unchanged source is within the limits.
  const isEnlarged = geometry.size.width > source.width || geometry.size.height > source.height;
  const fault = isEnlarged ? tooLarge(geometry.size) : null;
  if (fault) return { ok: false, fault: { step: Math.max(0, taken - 1), ...fault } };
  return {
    ok: true,
    start: {
      ...geometry,
      focal: focalWithin(geometry.region, source, focal),
      rest: chain.slice(taken),
      taken,
    },
  };
}

/** The output size of a chain, as far as it can be computed without the pixels. */
export type ChainSize = { ok: true; size: Size; isExact: boolean } | { ok: false; fault: ChainFault };

/**
 * Computes the output size of a chain. It is exact unless there is a `trim`, whose result depends on the pixels:
 * `trimmed` is its measured result, and without one it counts as trimming nothing.
 */
export function chainSize(
  source: Size,
  chain: readonly PictureStep[],
  options: { focal?: FocalPoint; trimmed?: (size: Size) => Size } = {},
): ChainSize {
  const begun = startChain(source, chain, options.focal);
  if (!begun.ok) return begun;
  let canvas: Canvas = begun.start;
  let isExact = true;
  for (const [index, step] of begun.start.rest.entries()) {
    const next = resolveStep(step, canvas);
    if (!next.ok) return { ok: false, fault: { step: begun.start.taken + index, ...next.fault } };
    canvas = next.after;
    if (!next.isExact) {
      if (options.trimmed) canvas = { ...canvas, size: options.trimmed(canvas.size) };
      else isExact = false;
    }
  }
  return { ok: true, size: { width: canvas.size.width, height: canvas.size.height }, isExact };
}

function resolveShape(step: Extract<PictureStep, { op: 'fit' | 'crop' }>, canvas: Canvas): Resolved {
  if (step.op === 'crop' && step.left === undefined && step.around === 'interesting') {
    const size = cutSize(canvas.size, step);
    return resolved([{ kind: 'extract-interesting', size }], { size, focal: { x: 0.5, y: 0.5 } });
  }
  if (step.op === 'fit' && step.mode === 'cover' && step.around === 'interesting') {
    const size = coverSize(canvas.size, step);
    const cut = cutSize(canvas.size, { op: 'crop', aspect: `${step.width ?? 1}:${step.height ?? 1}` });
    return checked(
      [
        { kind: 'extract-interesting', size: cut },
        { kind: 'resize', size },
      ],
      {
        size,
        focal: { x: 0.5, y: 0.5 },
      },
    );
  }
  if (step.op === 'fit' && step.mode === 'contain') return resolveContain(step, canvas);
  if (step.op === 'crop') {
    const anchor = step.around === 'centre' ? { x: 0.5, y: 0.5 } : canvas.focal;
    const cut = cutOf(canvas.size, step, anchor);
    if (cut === null) return { ok: false, fault: cropOutside(canvas.size) };
    return resolved([{ kind: 'extract', region: cut }], {
      size: { width: cut.width, height: cut.height },
      focal: focalWithin(cut, canvas.size, canvas.focal),
    });
  }
  const geometry = followSteps(canvas.size, [step], canvas.focal);
  if (geometry === null) return { ok: false, fault: cropOutside(canvas.size) };
  const { region, size } = geometry;
  const focal = focalWithin(region, canvas.size, canvas.focal);
  const isWhole = region.width >= canvas.size.width - 1e-6 && region.height >= canvas.size.height - 1e-6;
  const cut: Operation[] = isWhole
    ? []
    : [{ kind: 'extract', region: toWholePixels(region, 1, canvas.size) }];
  const isScaled = size.width !== canvas.size.width || size.height !== canvas.size.height || !isWhole;
  return checked([...cut, ...(isScaled ? [{ kind: 'resize', size } as const] : [])], { size, focal });
}

function resolveContain(step: Extract<PictureStep, { op: 'fit' }>, canvas: Canvas): Resolved {
  const size = insideSize(canvas.size, step);
  const box = { width: step.width ?? size.width, height: step.height ?? size.height };
  const left = Math.floor((box.width - size.width) / 2);
  const top = Math.floor((box.height - size.height) / 2);
  const padding = { left, top, right: box.width - size.width - left, bottom: box.height - size.height - top };
  const isScaled = size.width !== canvas.size.width || size.height !== canvas.size.height;
  const around = extended({ size, focal: canvas.focal }, padding, step.background ?? 'transparent');
  if (!around.ok || !isScaled) return around;
  return { ...around, operations: [{ kind: 'resize', size }, ...around.operations] };
}

function resolveRotation(step: RotateStep, canvas: Canvas): Resolved {
  const degrees = ((step.degrees % 360) + 360) % 360;
  if (degrees === 0) return resolved([], canvas);
  const angle = (degrees * Math.PI) / 180;
  const isQuarter = degrees % 90 === 0;
  const cos = isQuarter ? Math.round(Math.cos(angle)) : Math.cos(angle);
  const sin = isQuarter ? Math.round(Math.sin(angle)) : Math.sin(angle);
  const { width, height } = canvas.size;
  const size = {
    width: roundSide(width * Math.abs(cos) + height * Math.abs(sin)),
    height: roundSide(width * Math.abs(sin) + height * Math.abs(cos)),
  };
  const [x, y] = [(canvas.focal.x - 0.5) * width, (canvas.focal.y - 0.5) * height];
  const focal = {
    x: 0.5 + (x * cos - y * sin) / size.width,
    y: 0.5 + (x * sin + y * cos) / size.height,
  };
  const background = step.background ?? 'transparent';
  return checked([{ kind: 'rotate', degrees, background, size }], { size, focal });
}

function extended(
  { size, focal }: Canvas,
  padding: { left: number; top: number; right: number; bottom: number },
  colour: string,
): Resolved {
  const { left, top, right, bottom } = padding;
  const after = { width: size.width + left + right, height: size.height + top + bottom };
  const isNone = left + top + right + bottom === 0;
  return checked(isNone ? [] : [{ kind: 'extend', ...padding, colour }], {
    size: after,
    focal: {
      x: (focal.x * size.width + left) / after.width,
      y: (focal.y * size.height + top) / after.height,
    },
  });
}

function unchanged(canvas: Canvas, operation: Operation): Resolved {
  return resolved([operation], canvas);
}

function checked(operations: Operation[], after: Canvas): Resolved {
  const fault = tooLarge(after.size);
  return fault ? { ok: false, fault } : resolved(operations, after);
}

function resolved(operations: Operation[], after: Canvas): Resolved {
  return { ok: true, operations, after, isExact: true };
}

function tooLarge({ width, height }: Size): Omit<ChainFault, 'step'> | null {
  if (width <= MAX_SIDE_PX && height <= MAX_SIDE_PX) return null;
  return {
    code: 'too-many-pixels',
    message: `The result would be ${width} × ${height} pixels; the maximum side is ${MAX_SIDE_PX} pixels.`,
  };
}

function cropOutside({ width, height }: Size): Omit<ChainFault, 'step'> {
  return {
    code: 'crop-outside',
    message: `The crop starts outside the picture, which is ${width} × ${height} pixels at this step.`,
  };
}
