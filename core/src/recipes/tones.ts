import { parseColour } from './colour.js';
import type { ToneStep } from './steps.js';

/** Three rows of a colour matrix: the weights of red, green and blue, and an offset, for values 0–1. */
export type ToneMatrix = readonly [ToneRow, ToneRow, ToneRow];
type ToneRow = readonly [red: number, green: number, blue: number, add: number];

/** The luminance weights of sRGB's primaries. Source: W3C Filter Effects Module Level 1, the grayscale matrix. */
const LUMINANCE = [0.2126, 0.7152, 0.0722] as const;

/**
 * The matrix of a tone. Sources: W3C Filter Effects Module Level 1, "Shorthands defined in terms of the filter
 * element", for greyscale, sepia, saturation, brightness (a slope) and contrast (a slope around the middle). Tint is
 * not defined there: it is the result of `greyscale` times the colour, blended in by the amount.
 */
export function toneMatrix(tone: ToneStep): ToneMatrix {
  switch (tone.op) {
    case 'greyscale': {
      const keep = 1 - Math.min(1, tone.amount ?? 1);
      return [
        [0.2126 + 0.7874 * keep, 0.7152 - 0.7152 * keep, 0.0722 - 0.0722 * keep, 0],
        [0.2126 - 0.2126 * keep, 0.7152 + 0.2848 * keep, 0.0722 - 0.0722 * keep, 0],
        [0.2126 - 0.2126 * keep, 0.7152 - 0.7152 * keep, 0.0722 + 0.9278 * keep, 0],
      ];
    }
    case 'sepia': {
      const keep = 1 - Math.min(1, tone.amount ?? 1);
      return [
        [0.393 + 0.607 * keep, 0.769 - 0.769 * keep, 0.189 - 0.189 * keep, 0],
        [0.349 - 0.349 * keep, 0.686 + 0.314 * keep, 0.168 - 0.168 * keep, 0],
        [0.272 - 0.272 * keep, 0.534 - 0.534 * keep, 0.131 + 0.869 * keep, 0],
      ];
    }
    case 'saturation': {
      const s = tone.amount;
      return [
        [0.213 + 0.787 * s, 0.715 - 0.715 * s, 0.072 - 0.072 * s, 0],
        [0.213 - 0.213 * s, 0.715 + 0.285 * s, 0.072 - 0.072 * s, 0],
        [0.213 - 0.213 * s, 0.715 - 0.715 * s, 0.072 + 0.928 * s, 0],
      ];
    }
    case 'brightness':
      return diagonal(tone.amount, 0);
    case 'contrast':
      return diagonal(tone.amount, 0.5 - 0.5 * tone.amount);
    case 'tint': {
      const amount = tone.amount ?? 1;
      const { red, green, blue } = parseColour(tone.colour);
      const row = (value: number, channel: number): ToneRow => {
        const weights = LUMINANCE.map(
          (weight, at) => (amount * weight * value) / 255 + (at === channel ? 1 - amount : 0),
        );
        return [weights[0] ?? 0, weights[1] ?? 0, weights[2] ?? 0, 0];
      };
      return [row(red, 0), row(green, 1), row(blue, 2)];
    }
  }
}

/**
 * Applies a tone to pixels in place. Values are rounded and clamped to 0–255; alpha is unchanged.
 *
 * @param pixels 8-bit sRGB, `channels` (3 or 4) values for each pixel, not premultiplied
 */
export function applyTone(pixels: Uint8Array, channels: number, tone: ToneStep): void {
  const matrix = toneMatrix(tone);
  if (tone.op === 'brightness' || tone.op === 'contrast')
    applyTable(pixels, channels, matrix[0][0], matrix[0][3]);
  else applyMatrix(pixels, channels, matrix);
}

function applyTable(pixels: Uint8Array, channels: number, slope: number, add: number): void {
  const table = Uint8ClampedArray.from({ length: 256 }, (_, value) => value * slope + add * 255);
  for (let at = 0; at < pixels.length; at += channels) {
    pixels[at] = table[pixels[at] as number] as number;
    pixels[at + 1] = table[pixels[at + 1] as number] as number;
    pixels[at + 2] = table[pixels[at + 2] as number] as number;
  }
}

function applyMatrix(pixels: Uint8Array, channels: number, [r, g, b]: ToneMatrix): void {
  const [rr, rg, rb] = r;
  const [gr, gg, gb] = g;
  const [br, bg, bb] = b;
  // A clamped view rounds and clamps the values.
  const out = new Uint8ClampedArray(pixels.buffer, pixels.byteOffset, pixels.length);
  for (let at = 0; at < pixels.length; at += channels) {
    const red = pixels[at] as number;
    const green = pixels[at + 1] as number;
    const blue = pixels[at + 2] as number;
    out[at] = red * rr + green * rg + blue * rb;
    out[at + 1] = red * gr + green * gg + blue * gb;
    out[at + 2] = red * br + green * bg + blue * bb;
  }
}

function diagonal(slope: number, add: number): ToneMatrix {
  return [
    [slope, 0, 0, add],
    [0, slope, 0, add],
    [0, 0, slope, add],
  ];
}
