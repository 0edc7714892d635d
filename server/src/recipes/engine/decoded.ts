import type { Size } from '@uniferum/core/recipes';
import sharp from 'sharp';
import { type Pixels, toPixels } from './pixels.js';

/** How much larger than its output a decoded picture must be, so that the second resampling is not visible. */
const MIN_REDUCTION = 1.2;

/** Two or three pictures of 12 megapixels. */
const MAX_BYTES = 128_000_000;

/** A picture kept decoded while somebody tries recipes on it. */
export interface DecodedPicture {
  pixels: Pixels;
  /** How many of its pixels correspond to one pixel of the source. */
  scale: number;
}

/** A picture, and what is to be made of a broken one. */
interface FileToDecode {
  input: string | Buffer;
  size: Size;
  failOn: 'error' | 'none';
  page: number;
  /** Whether pixels are values in its own profile, as opposed to sRGB. */
  keepsColours: boolean;
}

/**
 * Caches decoded pictures, least recently used ones evicted first. They are decoded at steps of √2, so that a
 * slightly different width finds the same one again.
 */
export class DecodedCache {
  readonly #kept = new Map<string, DecodedPicture>();

  /** @param scale the required scale of the source, at most 1 */
  async get(
    file: FileToDecode & { sha256: string },
    scale: number,
    maxPixels: number,
  ): Promise<DecodedPicture> {
    const step = stepAbove(scale);
    const key = `${file.sha256}:${step}:${file.keepsColours}`;
    const kept = this.#kept.get(key) ?? (await decodeAt(file, step, maxPixels));
    this.#kept.delete(key);
    this.#kept.set(key, kept);
    this.#shrink();
    return kept;
  }

  #shrink(): void {
    let bytes = 0;
    for (const [key, { pixels }] of [...this.#kept].reverse()) {
      bytes += pixels.data.length;
      if (bytes > MAX_BYTES && this.#kept.size > 1) this.#kept.delete(key);
    }
  }
}

function stepAbove(scale: number): number {
  let step = 1;
  while (step / Math.SQRT2 >= scale * MIN_REDUCTION) step /= Math.SQRT2;
  return step;
}

async function decodeAt(
  { input, size, failOn, page, keepsColours }: FileToDecode,
  scale: number,
  maxPixels: number,
): Promise<DecodedPicture> {
  const width = Math.max(1, Math.round(size.width * scale));
  const height = Math.max(1, Math.round(size.height * scale));
  const opened = sharp(input, { limitInputPixels: maxPixels, failOn, page }).autoOrient();
  const scaled = opened.resize(width, height, { fit: 'fill' });
  return { pixels: await toPixels(keepsColours ? scaled.keepIccProfile() : scaled), scale };
}
