import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { chainSize, resolveStep } from './chain.js';
import { followSteps } from './geometry.js';
import type { PictureStep } from './steps.js';
import { placeWatermark, watermarkBox } from './watermark-box.js';

const source = { width: 4000, height: 3000 };
const sizeOf = (...steps: PictureStep[]) => {
  const result = chainSize(source, steps);
  return result.ok ? [result.size.width, result.size.height] : result.fault;
};

describe('the size of a chain', () => {
  test.each<[string, PictureStep[], unknown]>([
    ['nothing', [], [4000, 3000]],
    ['inside, by width alone', [{ op: 'fit', mode: 'inside', width: 1000 }], [1000, 750]],
    ['contain fills its box', [{ op: 'fit', mode: 'contain', width: 300, height: 300 }], [300, 300]],
    [
      'fill stretches, each side by itself',
      [{ op: 'fit', mode: 'fill', width: 100, height: 9000 }],
      [100, 3000],
    ],
    ['an aspect takes the largest part', [{ op: 'crop', aspect: '1:1' }], [3000, 3000]],
    ['percent of the picture', [{ op: 'crop', width: 50, height: 25, unit: 'percent' }], [2000, 750]],
    [
      'a crop over the edge ends at it',
      [{ op: 'crop', left: 3900, top: 0, width: 500, height: 10 }],
      [100, 10],
    ],
    [
      'a crop outside',
      [{ op: 'crop', left: 4000, top: 0, width: 9, height: 9 }],
      { step: 0, code: 'crop-outside' },
    ],
    [
      'after a fit, a crop is in its pixels',
      [
        { op: 'fit', mode: 'inside', width: 400 },
        { op: 'crop', left: 390, top: 0, width: 50, height: 50 },
      ],
      [10, 50],
    ],
    ['a quarter turn', [{ op: 'rotate', degrees: 90 }], [3000, 4000]],
    [
      'a border on each side',
      [
        { op: 'fit', mode: 'inside', width: 100 },
        { op: 'border', width: 5, colour: '#000000' },
      ],
      [110, 85],
    ],
    [
      'too large',
      [
        { op: 'fit', mode: 'inside', width: 16_384, height: 16_384, enlarge: true },
        { op: 'rotate', degrees: 45 },
      ],
      { step: 1, code: 'too-many-pixels' },
    ],
  ])('%s', (_what, steps, expected) => {
    expect(sizeOf(...steps)).toMatchObject(expected as object);
  });

  test('is the same whether steps are followed at once or one after the other', () => {
    const step: fc.Arbitrary<PictureStep> = fc.oneof(
      fc.record({
        op: fc.constant('fit' as const),
        mode: fc.constantFrom('inside' as const, 'cover' as const, 'fill' as const),
        width: fc.integer({ min: 1, max: 5000 }),
        height: fc.integer({ min: 1, max: 5000 }),
      }),
      fc.record({ op: fc.constant('crop' as const), aspect: fc.constantFrom('3:2', '1:1', '9:16') }),
      fc.record({
        op: fc.constant('crop' as const),
        width: fc.integer({ min: 1, max: 3000 }),
        height: fc.integer({ min: 1, max: 3000 }),
      }),
    );
    fc.assert(
      fc.property(
        fc.array(step, { maxLength: 5 }),
        fc.integer({ min: 1, max: 6000 }),
        fc.integer({ min: 1, max: 6000 }),
        (steps, width, height) => {
          const at = chainSize({ width, height }, steps);
          let canvas = { size: { width, height }, focal: { x: 0.5, y: 0.5 } };
          for (const one of steps) {
            const next = resolveStep(one, canvas);
            if (!next.ok) throw new Error(next.fault.message);
            canvas = next.after;
          }
          expect(at).toMatchObject({ ok: true, size: canvas.size });
        },
      ),
    );
  });

  test('never grows without being told to', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 3000 }),
        fc.integer({ min: 1, max: 3000 }),
        fc.constantFrom('inside' as const, 'cover' as const, 'fill' as const),
        (width, height, mode) => {
          const result = chainSize({ width: 640, height: 480 }, [{ op: 'fit', mode, width, height }]);
          expect(result.ok && result.size.width <= 640 && result.size.height <= 480).toBe(true);
        },
      ),
    );
  });
});

describe('the focal point', () => {
  const focalAfter = (step: PictureStep, focal = { x: 0.25, y: 0.1 }) => {
    const next = resolveStep(step, { size: { width: 400, height: 200 }, focal });
    return next.ok
      ? [next.after.focal.x, next.after.focal.y].map((value) => Math.round(value * 1000) / 1000)
      : null;
  };
  test('follows flips, turns, borders and crops', () => {
    expect(focalAfter({ op: 'flip', axis: 'horizontal' })).toEqual([0.75, 0.1]);
    expect(focalAfter({ op: 'flip', axis: 'vertical' })).toEqual([0.25, 0.9]);
    expect(focalAfter({ op: 'rotate', degrees: 90 })).toEqual([0.9, 0.25]);
    expect(focalAfter({ op: 'rotate', degrees: 180 })).toEqual([0.75, 0.9]);
    expect(focalAfter({ op: 'border', width: 100, colour: '#000000' })).toEqual([0.333, 0.3]);
    expect(focalAfter({ op: 'crop', left: 100, top: 0, width: 100, height: 100 })).toEqual([0, 0.2]);
  });
});

test('a size is exact, but for what is trimmed without being measured', () => {
  const trimming: PictureStep[] = [
    { op: 'flip', axis: 'horizontal' },
    { op: 'trim' },
    { op: 'fit', mode: 'inside', width: 100 },
  ];
  expect(chainSize(source, trimming.slice(0, 1))).toEqual({ ok: true, size: source, isExact: true });
  expect(chainSize(source, trimming)).toEqual({ ok: true, size: { width: 100, height: 75 }, isExact: false });
  const trimmed = ({ width, height }: { width: number; height: number }) => ({ width: width / 2, height });
  expect(chainSize(source, trimming, { trimmed })).toEqual({
    ...{ ok: true, size: { width: 100, height: 150 }, isExact: true },
  });
});

test("the step that can't be carried out is counted from the first one", () => {
  const beyond: PictureStep = { op: 'crop', left: 900, top: 0, width: 9, height: 9 };
  const steps: PictureStep[] = [
    { op: 'fit', mode: 'inside', width: 400 },
    { op: 'flip', axis: 'vertical' },
    beyond,
  ];
  for (let from = 0; from < 3; from += 1) {
    const result = chainSize({ width: 400, height: 300 }, steps.slice(from));
    expect(result).toMatchObject({ ok: false, fault: { step: 2 - from } });
  }
});

test.each(['horizontal', 'vertical'] as const)('a %s flip is one operation, and keeps the size', (axis) => {
  const canvas = { size: source, focal: { x: 0.5, y: 0.5 } };
  expect(resolveStep({ op: 'flip', axis }, canvas)).toMatchObject({
    operations: [{ kind: 'flip', axis }],
    after: { size: source },
  });
});

test('a turn by any angle makes its picture larger, on the background that it states', () => {
  const canvas = { size: { width: 400, height: 300 }, focal: { x: 0.5, y: 0.5 } };
  const turned = (background?: string) =>
    resolveStep({ op: 'rotate', degrees: 30, ...(background && { background }) }, canvas);
  // |400 cos 30°| + |300 sin 30°|, and |400 sin 30°| + |300 cos 30°|.
  const size = { width: 496, height: 460 };
  for (const background of ['#8a3a25', undefined])
    expect(turned(background)).toMatchObject({
      operations: [{ kind: 'rotate', degrees: 30, background: background ?? 'transparent', size }],
    });
});

test.each<[PictureStep, object[]]>([
  [{ op: 'blur', radius: 3 }, [{ kind: 'blur', sigma: 3 }]],
  [{ op: 'sharpen' }, [{ kind: 'sharpen', sigma: 1 }]],
  [{ op: 'sharpen', radius: 2.5 }, [{ kind: 'sharpen', sigma: 2.5 }]],
  [{ op: 'pixelate', size: 8 }, [{ kind: 'pixelate', size: 8 }]],
  [{ op: 'corners', radius: 6 }, [{ kind: 'corners', radius: 6 }]],
  [{ op: 'sepia' }, [{ kind: 'tone', tone: { op: 'sepia' } }]],
  [{ op: 'border', width: 0, colour: '#000000' }, []],
])('%j changes pixels, and neither the size nor the focal point', (step, operations) => {
  const canvas = { size: { width: 40, height: 20 }, focal: { x: 0.2, y: 0.7 } };
  expect(resolveStep(step, canvas)).toEqual({ ok: true, operations, after: canvas, isExact: true });
});

test('around the middle means the middle of what is left, not of the source', () => {
  const cut = followSteps(source, [
    { op: 'crop', left: 0, top: 0, width: 1000, height: 1000 },
    { op: 'crop', width: 200, height: 200, around: 'centre' },
  ]);
  expect(cut?.region).toEqual({ left: 400, top: 400, width: 200, height: 200 });
});

test('a watermark has its size and margin from the picture, and lies in its place', () => {
  const step = { op: 'watermark', words: 'x', size: 25, margin: 10 } as const;
  const box = watermarkBox(step, { width: 800, height: 400 });
  expect(box).toEqual({ widthPx: 200, marginPx: 40 });
  const mark = { width: 200, height: 60 };
  const at = (place: 'top-left' | 'bottom-right' | 'middle' | 'right') =>
    Object.values(placeWatermark({ ...step, place }, box, { width: 800, height: 400 }, mark));
  expect([at('top-left'), at('bottom-right'), at('middle'), at('right')]).toEqual([
    [40, 40],
    [560, 300],
    [300, 170],
    [560, 170],
  ]);
});
