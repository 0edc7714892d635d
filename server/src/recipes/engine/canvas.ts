import type { FocalPoint } from '@uniferum/core/library';
import {
  applyTone,
  type Canvas,
  cutOf,
  type Operation,
  parseColour,
  pixelate,
  placeWatermark,
  type Region,
  type Size,
} from '@uniferum/core/recipes';
import sharp, { type OverlayOptions, type Sharp } from 'sharp';
import { intoProfile, type KeptProfile } from './kept-colours.js';
import type { Marks } from './marks.js';
import { openPixels, type Pixels, toPixels } from './pixels.js';

/** What an operation needs besides the pixels. `found` keeps what was detected in the first frame of an animation. */
export interface OperationContext {
  marks: Marks;
  /** What pixels are values in; null for sRGB, in which colours of steps are given. */
  profile: KeptProfile | null;
  found: Map<number, Region>;
}

/**
 * Applies one operation.
 *
 * @param index the operation's position in its chain; what is detected in the first frame applies to the others
 */
export async function applyOperation(
  pixels: Pixels,
  operation: Operation,
  index: number,
  context: OperationContext,
): Promise<Pixels> {
  const open = () => openPixels(pixels);
  switch (operation.kind) {
    case 'extract':
      return toPixels(open().extract(operation.region));
    case 'resize': {
      const { width, height } = operation.size;
      return toPixels(open().resize(width, height, { fit: 'fill' }));
    }
    case 'extract-interesting': {
      const region = context.found.get(index) ?? (await findInteresting(pixels, operation.size));
      context.found.set(index, region);
      return toPixels(open().extract(region));
    }
    case 'trim': {
      const region = context.found.get(index) ?? (await findContent(pixels, operation.tolerance));
      context.found.set(index, region);
      return toPixels(open().extract(region));
    }
    case 'flip':
      return toPixels(operation.axis === 'horizontal' ? open().flop() : open().flip());
    case 'rotate':
      return rotate(pixels, operation, context);
    case 'extend': {
      const { left, top, right, bottom, colour } = operation;
      return toPixels(
        withRoomFor(open(), colour).extend({
          ...{ left, top, right, bottom },
          background: await paint(colour, context),
        }),
      );
    }
    case 'tone':
      applyTone(pixels.data, pixels.channels, operation.tone);
      return pixels;
    case 'blur':
      return toPixels(open().blur(operation.sigma));
    case 'sharpen':
      return toPixels(open().sharpen({ sigma: operation.sigma }));
    case 'pixelate':
      pixelate(pixels.data, pixels, operation.size);
      return pixels;
    case 'corners':
      return toPixels(
        open()
          .ensureAlpha()
          .composite([{ input: cornerMask(pixels, operation.radius), blend: 'dest-in' }]),
      );
    case 'background':
      return toPixels(open().flatten({ background: await paint(operation.colour, context) }));
    case 'watermark':
      return layOver(pixels, operation, context);
  }
}

async function rotate(
  pixels: Pixels,
  { degrees, background, size }: Extract<Operation, { kind: 'rotate' }>,
  context: OperationContext,
): Promise<Pixels> {
  const colour = await paint(background, context);
  // The image library turns about the corner of a pixel: near 180° everything would lie a pixel off.
  const quarters = Math.round(degrees / 90) * 90;
  const upright = quarters % 360 === 0 ? pixels : await toPixels(openPixels(pixels).rotate(quarters));
  const rest = degrees - quarters;
  if (rest === 0) return upright;
  const turned = await toPixels(
    withRoomFor(openPixels(upright), background).rotate(rest, { background: colour }),
  );
  return inTheMiddle(turned, size, colour);
}

/** Cuts or extends a picture to a size that differs by what was rounded. */
async function inTheMiddle(pixels: Pixels, { width, height }: Size, background: Paint): Promise<Pixels> {
  if (pixels.width === width && pixels.height === height) return pixels;
  const [wider, higher] = [Math.max(width, pixels.width), Math.max(height, pixels.height)];
  const left = Math.floor((wider - pixels.width) / 2);
  const top = Math.floor((higher - pixels.height) / 2);
  const extended = await toPixels(
    openPixels(pixels).extend({
      ...{ left, top, right: wider - pixels.width - left, bottom: higher - pixels.height - top },
      background,
    }),
  );
  return toPixels(
    openPixels(extended).extract({
      ...{ left: Math.floor((wider - width) / 2), top: Math.floor((higher - height) / 2) },
      ...{ width, height },
    }),
  );
}

async function layOver(
  pixels: Pixels,
  { step, box }: Extract<Operation, { kind: 'watermark' }>,
  { marks, profile }: OperationContext,
): Promise<Pixels> {
  const mark = await intoProfile(await marks.read(step, box.widthPx), profile);
  const { left, top } = placeWatermark(step, box, pixels, mark);
  // Parts beyond the edge are cut off, because an overlay must lie inside.
  const visible: Region = {
    left: Math.max(0, -left),
    top: Math.max(0, -top),
    width: Math.min(mark.width, pixels.width - Math.max(0, left)),
    height: Math.min(mark.height, pixels.height - Math.max(0, top)),
  };
  visible.width = Math.min(visible.width, mark.width - visible.left);
  visible.height = Math.min(visible.height, mark.height - visible.top);
  const cut = await toPixels(openPixels(mark).extract(visible));
  const { data, width, height, channels } = cut;
  const overlay: OverlayOptions = {
    input: data,
    raw: { width, height, channels },
    left: Math.max(0, left),
    top: Math.max(0, top),
  };
  const laid = await toPixels(openPixels(pixels).composite([overlay]));
  // An overlay adds an alpha channel; an opaque picture stays opaque.
  return pixels.channels === 3 && laid.channels === 4 ? toPixels(openPixels(laid).removeAlpha()) : laid;
}

/** Finds the part with the most detail, skin and saturated colour, on a small copy. */
async function findInteresting(pixels: Pixels, cut: Size): Promise<Region> {
  const scale = Math.min(1, 400 / Math.max(cut.width, cut.height));
  const small = {
    width: Math.max(1, Math.round(cut.width * scale)),
    height: Math.max(1, Math.round(cut.height * scale)),
  };
  const { info } = await openPixels(pixels)
    .resize(small.width, small.height, { fit: 'cover', position: sharp.strategy.attention })
    .raw()
    .toBuffer({ resolveWithObject: true });
  const covering = Math.max(small.width / pixels.width, small.height / pixels.height);
  const focal: FocalPoint = {
    x: Math.min(1, Math.max(0, (info.attentionX ?? small.width / 2) / (pixels.width * covering))),
    y: Math.min(1, Math.max(0, (info.attentionY ?? small.height / 2) / (pixels.height * covering))),
  };
  return cutOf(pixels, { op: 'crop', ...cut }, focal) ?? { left: 0, top: 0, ...cut };
}

/** Finds what remains when borders of the corner's colour are trimmed; everything if nothing else remains. */
async function findContent(pixels: Pixels, tolerance: number): Promise<Region> {
  const { info } = await openPixels(pixels)
    .trim({ threshold: tolerance })
    .raw()
    .toBuffer({ resolveWithObject: true });
  return {
    left: -(info.trimOffsetLeft ?? 0),
    top: -(info.trimOffsetTop ?? 0),
    width: info.width,
    height: info.height,
  };
}

function withRoomFor(picture: Sharp, colour: string): Sharp {
  return parseColour(colour).alpha < 1 ? picture.ensureAlpha() : picture;
}

/** A colour as the image library takes it. */
interface Paint {
  r: number;
  g: number;
  b: number;
  alpha: number;
}

async function paint(colour: string, { profile }: OperationContext): Promise<Paint> {
  const { red, green, blue, alpha } = parseColour(colour);
  const one = { data: Buffer.from([red, green, blue]), width: 1, height: 1, channels: 3 as const };
  const [r = 0, g = 0, b = 0] = (await intoProfile(one, profile)).data;
  return { r, g, b, alpha };
}

function cornerMask({ width, height }: Size, radius: number): Buffer {
  return Buffer.from(
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}"><rect width="${width}" height="${height}" rx="${radius}" ry="${radius}" fill="#fff"/></svg>`,
  );
}

/** The state of a chain: the size and focal point from which the next step is resolved. */
export function canvasOf(pixels: Pixels, focal: FocalPoint): Canvas {
  return { size: { width: pixels.width, height: pixels.height }, focal };
}
