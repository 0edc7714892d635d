import { execFileSync } from 'node:child_process';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
  cutOf,
  cutSize,
  followSteps as followOrFail,
  type GeometricStep,
  isGeometric,
  type Region,
  type Size,
  toWholePixels,
} from './geometry.js';
import type { CropStep, FitStep, PictureStep } from './steps.js';

const CENTRE = { x: 0.5, y: 0.5 };

function followSteps(
  ...args: [source: Size, steps: readonly GeometricStep[], focal?: { x: number; y: number }]
) {
  const geometry = followOrFail(...args);
  if (geometry === null) throw new Error('Expected a cut inside the picture, got none');
  return geometry;
}

const inside = (width: number, height: number): FitStep => ({ op: 'fit', mode: 'inside', width, height });
const cover = (width: number, height: number): FitStep => ({ op: 'fit', mode: 'cover', width, height });
const sideArbitrary = fc.integer({ min: 1, max: 9000 });
const sizeArbitrary = fc.record({ width: sideArbitrary, height: sideArbitrary });

test.each<PictureStep>([
  { op: 'fit', mode: 'inside', width: 9 },
  { op: 'fit', mode: 'inside', width: 9, around: 'interesting' },
  { op: 'fit', mode: 'fill', width: 9, height: 9 },
  { op: 'fit', mode: 'cover', width: 9, height: 9 },
  { op: 'fit', mode: 'cover', width: 9, height: 9, around: 'focal' },
  { op: 'crop', width: 9, height: 9 },
  { op: 'crop', width: 9, height: 9, around: 'centre' },
  { op: 'crop', width: 9, height: 9, left: 0, top: 0, around: 'interesting' },
])('%j depends on the size alone', (step) => {
  expect(isGeometric(step)).toBe(true);
});

test.each<PictureStep>([
  { op: 'fit', mode: 'cover', width: 9, height: 9, around: 'interesting' },
  { op: 'fit', mode: 'contain', width: 9, height: 9 },
  { op: 'crop', width: 9, height: 9, around: 'interesting' },
  { op: 'rotate', degrees: 90 },
  { op: 'sepia' },
])('%j depends on the pixels, or changes them', (step) => {
  expect(isGeometric(step)).toBe(false);
});

describe('inside', () => {
  // Common practice, no source.
  test('a preview box of 245 × 156 keeps proportions and never enlarges', () => {
    expect(followSteps({ width: 2450, height: 1000 }, [inside(245, 156)]).size).toEqual({
      width: 245,
      height: 100,
    });
    expect(followSteps({ width: 100, height: 80 }, [inside(245, 156)]).size).toEqual({
      width: 100,
      height: 80,
    });
  });

  test('a side that is absent does not limit', () => {
    expect(
      followSteps({ width: 3000, height: 1000 }, [{ op: 'fit', mode: 'inside', height: 500 }]).size,
    ).toEqual({ width: 1500, height: 500 });
  });

  test('the result has the size that an independent program gives for the same geometry', () => {
    const cases = fc.sample(
      fc.record({
        source: fc.record({
          width: fc.integer({ min: 1, max: 4000 }),
          height: fc.integer({ min: 1, max: 4000 }),
        }),
        box: fc.record({
          width: fc.integer({ min: 1, max: 1600 }),
          height: fc.integer({ min: 1, max: 1600 }),
        }),
      }),
      { numRuns: 60, seed: 7 },
    );
    const theirs = cases.map(({ source, box }) =>
      execFileSync(
        '/usr/bin/convert',
        [
          '-size',
          `${source.width}x${source.height}`,
          'xc:gray',
          '-sample',
          `${box.width}x${box.height}>`,
          '-format',
          '%w %h',
          'info:',
        ],
        { encoding: 'utf8' },
      ),
    );
    const ours = cases.map(({ source, box }) => {
      const { width, height } = followSteps(source, [inside(box.width, box.height)]).size;
      return `${width} ${height}`;
    });
    expect(ours).toEqual(theirs);
  });

  test('fits the box, keeps the proportions to half a pixel, and takes the whole picture', () => {
    fc.assert(
      fc.property(sizeArbitrary, sizeArbitrary, (source, box) => {
        const { region, size } = followSteps(source, [inside(box.width, box.height)]);
        expect(region).toEqual({ left: 0, top: 0, ...source });
        expect(size.width).toBeLessThanOrEqual(Math.max(1, box.width));
        expect(size.height).toBeLessThanOrEqual(Math.max(1, box.height));
        const scale = Math.min(1, box.width / source.width, box.height / source.height);
        expect(Math.abs(size.width - source.width * scale)).toBeLessThanOrEqual(
          Math.max(0.5, 1 - source.width * scale) + 1e-6,
        );
        expect(Math.abs(size.height - source.height * scale)).toBeLessThanOrEqual(
          Math.max(0.5, 1 - source.height * scale) + 1e-6,
        );
      }),
    );
  });
});

describe('cover', () => {
  test('cuts the middle out and fills the box', () => {
    expect(followSteps({ width: 3000, height: 2000 }, [cover(240, 240)])).toEqual({
      region: { left: 500, top: 0, width: 2000, height: 2000 },
      size: { width: 240, height: 240 },
    });
  });

  test('cuts around the focal point, but never beyond the edge', () => {
    const { region } = followSteps({ width: 3000, height: 2000 }, [cover(240, 240)], { x: 0.9, y: 0.5 });
    expect(region).toEqual({ left: 1000, top: 0, width: 2000, height: 2000 });
  });

  // Common practice, no source: a "thumb" of at most 100 × 100 fits in that square.
  test("a source that is smaller than the box gives the box's proportions and is not enlarged", () => {
    expect(followSteps({ width: 120, height: 60 }, [cover(240, 240)]).size).toEqual({
      width: 60,
      height: 60,
    });
  });

  test('lies inside the source, with its proportions, in whole pixels of any canvas', () => {
    fc.assert(
      fc.property(
        sizeArbitrary,
        fc.record({ width: fc.integer({ min: 1, max: 2000 }), height: fc.integer({ min: 1, max: 2000 }) }),
        fc.record({
          x: fc.double({ min: 0, max: 1, noNaN: true }),
          y: fc.double({ min: 0, max: 1, noNaN: true }),
        }),
        fc.double({ min: 0.05, max: 1, noNaN: true }),
        (source, box, focal, scale) => {
          const { region, size } = followSteps(source, [cover(box.width, box.height)], focal);
          expect(region.left).toBeGreaterThanOrEqual(0);
          expect(region.left + region.width).toBeLessThanOrEqual(source.width + 1e-6);
          expect(region.top + region.height).toBeLessThanOrEqual(source.height + 1e-6);
          expect(size.width).toBeLessThanOrEqual(box.width);
          const canvas = {
            width: Math.max(1, Math.round(source.width * scale)),
            height: Math.max(1, Math.round(source.height * scale)),
          };
          const whole = toWholePixels(region, scale, canvas);
          for (const value of Object.values(whole)) expect(Number.isInteger(value)).toBe(true);
          expect(whole.left + whole.width).toBeLessThanOrEqual(canvas.width);
          expect(whole.top + whole.height).toBeLessThanOrEqual(canvas.height);
          expect(whole.width * whole.height).toBeGreaterThan(0);
        },
      ),
    );
  });
});

test.each<[string, Size, Omit<CropStep, 'op'>, Size]>([
  [
    'of a wider picture keeps its height',
    { width: 4000, height: 1000 },
    { aspect: '3:2' },
    { width: 1500, height: 1000 },
  ],
  [
    'of a higher picture keeps its width',
    { width: 1000, height: 4000 },
    { aspect: '3:2' },
    { width: 1000, height: 667 },
  ],
  [
    'that is higher keeps the height',
    { width: 1000, height: 600 },
    { aspect: '2:3' },
    { width: 400, height: 600 },
  ],
  [
    'that is the same is all of it',
    { width: 1500, height: 1000 },
    { aspect: '3:2' },
    { width: 1500, height: 1000 },
  ],
  ['is at least a pixel wide', { width: 10, height: 1 }, { aspect: '1:5' }, { width: 1, height: 1 }],
  ['is at least a pixel high', { width: 1, height: 10 }, { aspect: '5:1' }, { width: 1, height: 1 }],
])('a crop to an aspect %s', (_what, size, step, cut) => {
  expect(cutSize(size, { op: 'crop', ...step })).toEqual(cut);
});

test('a crop to an aspect has it within half a pixel, and touches two sides', () => {
  const ratio = fc.integer({ min: 1, max: 40 });
  fc.assert(
    fc.property(sizeArbitrary, ratio, ratio, (size, across, down) => {
      const cut = cutSize(size, { op: 'crop', aspect: `${across}:${down}` });
      expect(cut.width === size.width || cut.height === size.height).toBe(true);
      const isWhole = (side: number, exact: number) => Math.abs(side - Math.max(1, exact)) <= 0.5;
      expect(
        isWhole(cut.width, (cut.height * across) / down) || isWhole(cut.height, (cut.width * down) / across),
      ).toBe(true);
      expect(cut.width <= size.width && cut.height <= size.height).toBe(true);
    }),
  );
});

test('a region is scaled at all of its sides, and rounded', () => {
  const region = { left: 101, top: 41, width: 203, height: 82 };
  expect(toWholePixels(region, 0.5, { width: 1000, height: 1000 })).toEqual({
    left: 51,
    top: 21,
    width: 102,
    height: 41,
  });
});

test('steps follow one another', () => {
  const { region, size } = followSteps({ width: 4000, height: 2000 }, [inside(1000, 1000), cover(300, 300)]);
  expect(region).toEqual({ left: 1000, top: 0, width: 2000, height: 2000 });
  expect(size).toEqual({ width: 300, height: 300 });
});

describe('the position of a crop', () => {
  const size = { width: 4000, height: 3000 };

  test.each<[string, Omit<CropStep, 'op'>, { x: number; y: number }, Region | null]>([
    [
      'is as given',
      { left: 10, top: 20, width: 30, height: 40 },
      CENTRE,
      { left: 10, top: 20, width: 30, height: 40 },
    ],
    [
      'is in percent of the picture',
      { left: 10, top: 20, width: 50, height: 25, unit: 'percent' },
      CENTRE,
      { left: 400, top: 600, width: 2000, height: 750 },
    ],
    ['is the middle', { width: 100, height: 60 }, CENTRE, { left: 1950, top: 1470, width: 100, height: 60 }],
    [
      'is the middle when only one side is given',
      { left: 10, width: 100, height: 60 },
      CENTRE,
      { left: 1950, top: 1470, width: 100, height: 60 },
    ],
    [
      'is the middle when only the other side is given',
      { top: 10, width: 100, height: 60 },
      CENTRE,
      { left: 1950, top: 1470, width: 100, height: 60 },
    ],
    [
      'follows the focal point',
      { width: 100, height: 60 },
      { x: 0.25, y: 0.75 },
      { left: 950, top: 2220, width: 100, height: 60 },
    ],
    [
      'stays within the picture at its end',
      { width: 100, height: 60 },
      { x: 1, y: 1 },
      { left: 3900, top: 2940, width: 100, height: 60 },
    ],
    [
      'stays within the picture at its begin',
      { width: 100, height: 60 },
      { x: 0, y: 0 },
      { left: 0, top: 0, width: 100, height: 60 },
    ],
    [
      'ends at the edges',
      { left: 3999, top: 2999, width: 9, height: 9 },
      CENTRE,
      { left: 3999, top: 2999, width: 1, height: 1 },
    ],
    ['is none beyond the right edge', { left: 4000, top: 0, width: 9, height: 9 }, CENTRE, null],
    ['is none below the lower edge', { left: 0, top: 3000, width: 9, height: 9 }, CENTRE, null],
  ])('%s', (_, step, focal, expected) => {
    expect(cutOf(size, { op: 'crop', ...step }, focal)).toEqual(expected);
  });
});
