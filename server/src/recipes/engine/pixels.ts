import type { Size } from '@uniferum/core/recipes';
import sharp, { type Sharp } from 'sharp';

/** Pixels in memory: 8-bit sRGB, with or without alpha, not premultiplied. */
export interface Pixels extends Size {
  data: Buffer;
  channels: 3 | 4;
}

/** Opens pixels for another operation. */
export function openPixels({ data, width, height, channels }: Pixels): Sharp {
  return sharp(data, { raw: { width, height, channels } });
}

/** Reads a pipeline's result as pixels. */
export async function toPixels(pipeline: Sharp): Promise<Pixels> {
  const { data, info } = await pipeline.toColourspace('srgb').raw().toBuffer({ resolveWithObject: true });
  const { width, height } = info;
  if (info.channels === 3 || info.channels === 4) return { data, width, height, channels: info.channels };
  return widened(data, { width, height }, info.channels);
}

/** Converts a greyscale canvas, with or without alpha, to three or four channels. */
function widened(data: Buffer, size: Size, channels: number): Pixels {
  const hasAlpha = channels === 2;
  const wide = Buffer.alloc(size.width * size.height * (hasAlpha ? 4 : 3));
  for (let from = 0, to = 0; from < data.length; from += channels) {
    for (let channel = 0; channel < 3; channel += 1) wide[to++] = data[from] as number;
    if (hasAlpha) wide[to++] = data[from + 1] as number;
  }
  return { data: wide, ...size, channels: hasAlpha ? 4 : 3 };
}
