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
import type { Marks } from './marks.js';
import { openPixels, type Pixels, toPixels } from './pixels.js';

/** What an operation needs besides the pixels. `found` keeps what was detected in the first frame of an animation. */
export interface OperationContext {
  marks: Marks;
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
      return rotate(pixels, operation);
    case 'extend': {
      const { left, top, right, bottom, colour } = operation;
      return toPixels(
        withRoomFor(open(), colour).extend({ left, top, right, bottom, background: paint(colour) }),
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
      return toPixels(open().flatten({ background: paint(operation.colour) }));
    case 'watermark':
      return layOver(pixels, operation, context.marks);
  }
}

async function rotate(
  pixels: Pixels,
  { degrees, background, size }: Extract<Operation, { kind: 'rotate' }>,
): Promise<Pixels> {
  const isQuarter = degrees % 90 === 0;
  const opened = isQuarter ? openPixels(pixels) : withRoomFor(openPixels(pixels), background);
  const turned = await toPixels(opened.rotate(degrees, { background: paint(background) }));
  if (turned.width === size.width && turned.height === size.height) return turned;
  return toPixels(
    openPixels(turned).resize(size.width, size.height, { fit: 'contain', background: paint(background) }),
  );
}

async function layOver(
  pixels: Pixels,
  { step, box }: Extract<Operation, { kind: 'watermark' }>,
  marks: Marks,
): Promise<Pixels> {
  const mark = await marks.read(step, box.widthPx);
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

function paint(colour: string): { r: number; g: number; b: number; alpha: number } {
  const { red, green, blue, alpha } = parseColour(colour);
  return { r: red, g: green, b: blue, alpha };
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
