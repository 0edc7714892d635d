import { describe, expect, test } from 'vitest';
import { parseColour } from './colour.js';
import { pixelate } from './pixelate.js';
import type { ToneStep } from './steps.js';
import { applyTone, toneMatrix } from './tones.js';

const IDENTITY = [
  [1, 0, 0, 0],
  [0, 1, 0, 0],
  [0, 0, 1, 0],
];

function expectMatrix(tone: ToneStep, wanted: readonly (readonly number[])[]): void {
  toneMatrix(tone).forEach((row, at) => {
    row.forEach((value, column) => {
      expect(value, `row ${at}, column ${column}`).toBeCloseTo(wanted[at]?.[column] ?? Number.NaN, 6);
    });
  });
}

/** The values are those of W3C Filter Effects Module Level 1, "Shorthands defined in terms of the filter element". */
describe('the matrix of a tone', () => {
  test.each<[ToneStep, readonly (readonly number[])[]]>([
    [{ op: 'greyscale', amount: 0 }, IDENTITY],
    [{ op: 'sepia', amount: 0 }, IDENTITY],
    [{ op: 'saturation', amount: 1 }, IDENTITY],
    [{ op: 'brightness', amount: 1 }, IDENTITY],
    [{ op: 'contrast', amount: 1 }, IDENTITY],
    [{ op: 'tint', colour: '#804020', amount: 0 }, IDENTITY],
    [{ op: 'greyscale' }, Array.from({ length: 3 }, () => [0.2126, 0.7152, 0.0722, 0])],
    // More than all of it is all of it.
    [{ op: 'greyscale', amount: 3 }, Array.from({ length: 3 }, () => [0.2126, 0.7152, 0.0722, 0])],
    [
      { op: 'greyscale', amount: 0.5 },
      [
        [0.6063, 0.3576, 0.0361, 0],
        [0.1063, 0.8576, 0.0361, 0],
        [0.1063, 0.3576, 0.5361, 0],
      ],
    ],
    [
      { op: 'sepia' },
      [
        [0.393, 0.769, 0.189, 0],
        [0.349, 0.686, 0.168, 0],
        [0.272, 0.534, 0.131, 0],
      ],
    ],
    [
      { op: 'sepia', amount: 0.5 },
      [
        [0.6965, 0.3845, 0.0945, 0],
        [0.1745, 0.843, 0.084, 0],
        [0.136, 0.267, 0.5655, 0],
      ],
    ],
    [{ op: 'saturation', amount: 0 }, Array.from({ length: 3 }, () => [0.213, 0.715, 0.072, 0])],
    [
      { op: 'saturation', amount: 2 },
      [
        [1.787, -0.715, -0.072, 0],
        [-0.213, 1.285, -0.072, 0],
        [-0.213, -0.715, 1.928, 0],
      ],
    ],
    [
      { op: 'brightness', amount: 1.5 },
      [
        [1.5, 0, 0, 0],
        [0, 1.5, 0, 0],
        [0, 0, 1.5, 0],
      ],
    ],
    [
      { op: 'contrast', amount: 2 },
      [
        [2, 0, 0, -0.5],
        [0, 2, 0, -0.5],
        [0, 0, 2, -0.5],
      ],
    ],
    // The grey of `greyscale` times the colour: 0x80 is 128 of 255.
    [
      { op: 'tint', colour: '#ff8000' },
      [
        [0.2126, 0.7152, 0.0722, 0],
        [(0.2126 * 128) / 255, (0.7152 * 128) / 255, (0.0722 * 128) / 255, 0],
        [0, 0, 0, 0],
      ],
    ],
    [
      { op: 'tint', colour: '#ff0000', amount: 0.25 },
      [
        [0.25 * 0.2126 + 0.75, 0.25 * 0.7152, 0.25 * 0.0722, 0],
        [0, 0.75, 0, 0],
        [0, 0, 0.75, 0],
      ],
    ],
  ])('%j', expectMatrix);
});

describe('applied to pixels', () => {
  const applied = (tone: ToneStep, channels: number, ...values: number[]) => {
    const pixels = Uint8Array.from(values);
    applyTone(pixels, channels, tone);
    return [...pixels];
  };

  test('every pixel, and its transparency stays', () => {
    expect(applied({ op: 'greyscale' }, 4, 255, 0, 0, 7, 0, 255, 0, 9)).toEqual([
      54, 54, 54, 7, 182, 182, 182, 9,
    ]);
    expect(applied({ op: 'greyscale' }, 3, 0, 0, 255, 255, 255, 255)).toEqual([18, 18, 18, 255, 255, 255]);
  });

  test('values are rounded and held within their range', () => {
    expect(applied({ op: 'brightness', amount: 1.5 }, 3, 1, 101, 200)).toEqual([2, 152, 255]);
    expect(applied({ op: 'contrast', amount: 2 }, 4, 10, 128, 250, 5, 0, 64, 255, 6)).toEqual([
      0, 128, 255, 5, 0, 0, 255, 6,
    ]);
    expect(applied({ op: 'saturation', amount: 2 }, 3, 255, 0, 10)).toEqual([255, 0, 0]);
    expect(applied({ op: 'sepia' }, 3, 100, 50, 20)).toEqual([82, 73, 57]);
  });

  test('channels do not mix up', () => {
    expect(applied({ op: 'tint', colour: '#ff0000', amount: 0.5 }, 3, 10, 20, 30)).toEqual([14, 10, 15]);
  });
});

describe('pixelating', () => {
  const grey = (width: number, height: number, value: (x: number, y: number) => number) =>
    Uint8Array.from({ length: width * height * 3 }, (_, at) =>
      value(Math.floor(at / 3) % width, Math.floor(at / 3 / width)),
    );

  test('blocks hold their mean, and those at the edges what is left', () => {
    const pixels = grey(3, 3, (x, y) => x * 10 + y * 100);
    pixelate(pixels, { width: 3, height: 3, channels: 3 }, 2);
    const rows = Array.from({ length: 3 }, (_, y) =>
      Array.from({ length: 3 }, (_x, x) => pixels[(y * 3 + x) * 3]),
    );
    expect(rows).toEqual([
      [55, 55, 70],
      [55, 55, 70],
      [205, 205, 220],
    ]);
  });

  test('each channel has a mean of its own', () => {
    const pixels = Uint8Array.from([0, 10, 100, 20, 30, 200]);
    pixelate(pixels, { width: 2, height: 1, channels: 3 }, 8);
    expect([...pixels]).toEqual([10, 20, 150, 10, 20, 150]);
  });

  test('transparent pixels count by their opacity', () => {
    const pixels = Uint8Array.from([200, 100, 40, 255, 0, 0, 0, 0]);
    pixelate(pixels, { width: 2, height: 1, channels: 4 }, 2);
    expect([...pixels]).toEqual([200, 100, 40, 128, 200, 100, 40, 128]);
    const none = Uint8Array.from([9, 9, 9, 0, 8, 8, 8, 0]);
    pixelate(none, { width: 2, height: 1, channels: 4 }, 2);
    expect([...none]).toEqual([0, 0, 0, 0, 0, 0, 0, 0]);
  });
});

test.each([
  ['#01ff80', { red: 1, green: 255, blue: 128, alpha: 1 }],
  ['#01ff8000', { red: 1, green: 255, blue: 128, alpha: 0 }],
  ['#01ff80ff', { red: 1, green: 255, blue: 128, alpha: 1 }],
  ['#01ff8033', { red: 1, green: 255, blue: 128, alpha: 0.2 }],
  ['transparent', { red: 0, green: 0, blue: 0, alpha: 0 }],
])('the colour %s', (text, colour) => {
  expect(parseColour(text)).toEqual(colour);
});
