import { describe, expect, test } from 'vitest';
import { type Canvas, chainSize, resolveStep, startChain } from './chain.js';
import { MAX_SIDE_PX } from './step-fields.js';
import type { PictureStep } from './steps.js';

const CANVAS: Canvas = { size: { width: 400, height: 300 }, focal: { x: 0.25, y: 0.2 } };
const MIDDLE = { x: 0.5, y: 0.5 };

const resize = (width: number, height: number) => ({ kind: 'resize', size: { width, height } });
const interesting = (width: number, height: number) => ({
  kind: 'extract-interesting',
  size: { width, height },
});
const extract = (left: number, top: number, width: number, height: number) => ({
  kind: 'extract',
  region: { left, top, width, height },
});
const extend = (left: number, top: number, right: number, bottom: number, colour = 'transparent') => ({
  ...{ kind: 'extend', left, top, right, bottom, colour },
});

/** The operations of a step, the size after it, and the focal point after it, rounded. */
function follow(step: PictureStep, canvas = CANVAS) {
  const next = resolveStep(step, canvas);
  if (!next.ok) return next.fault.code;
  const { size, focal } = next.after;
  const round = (value: number) => Math.round(value * 1000) / 1000;
  return {
    operations: next.operations,
    size: [size.width, size.height],
    focal: { x: round(focal.x), y: round(focal.y) },
  };
}

describe('a crop', () => {
  test.each<[PictureStep, object, [number, number], { x: number; y: number }]>([
    [{ op: 'crop', width: 100, height: 50, around: 'interesting' }, interesting(100, 50), [100, 50], MIDDLE],
    [{ op: 'crop', aspect: '1:1', around: 'interesting' }, interesting(300, 300), [300, 300], MIDDLE],
    [
      { op: 'crop', left: 10, top: 20, width: 100, height: 50, around: 'interesting' },
      extract(10, 20, 100, 50),
      [100, 50],
      { x: 0.9, y: 0.8 },
    ],
    [
      { op: 'crop', width: 100, height: 100, around: 'centre' },
      extract(150, 100, 100, 100),
      [100, 100],
      { x: 0, y: 0 },
    ],
    [{ op: 'crop', width: 100, height: 100, around: 'focal' }, extract(50, 10, 100, 100), [100, 100], MIDDLE],
    [{ op: 'crop', width: 100, height: 100 }, extract(50, 10, 100, 100), [100, 100], MIDDLE],
  ])('%j', (step, operation, size, focal) => {
    expect(follow(step)).toEqual({ operations: [operation], size, focal });
  });

  test('that starts outside is a fault', () => {
    expect(follow({ op: 'crop', left: 400, top: 0, width: 9, height: 9 })).toBe('crop-outside');
  });
});

describe('a fit', () => {
  test.each<[Omit<Extract<PictureStep, { op: 'fit' }>, 'op'>, object[], [number, number]]>([
    [{ mode: 'inside', width: 200 }, [resize(200, 150)], [200, 150]],
    [{ mode: 'inside', width: 200, around: 'interesting' }, [resize(200, 150)], [200, 150]],
    [{ mode: 'inside', width: 1000 }, [], [400, 300]],
    [{ mode: 'fill', width: 400, height: 100 }, [resize(400, 100)], [400, 100]],
    [{ mode: 'fill', width: 100, height: 300 }, [resize(100, 300)], [100, 300]],
    [{ mode: 'cover', width: 200, height: 150 }, [resize(200, 150)], [200, 150]],
  ])('%j keeps the focal point', (step, operations, size) => {
    expect(follow({ op: 'fit', ...step })).toEqual({ operations, size, focal: CANVAS.focal });
  });

  test.each<[Omit<Extract<PictureStep, { op: 'fit' }>, 'op'>, object[], { x: number; y: number }]>([
    [
      { mode: 'cover', width: 100, height: 100 },
      [extract(0, 0, 300, 300), resize(100, 100)],
      { x: 0.333, y: 0.2 },
    ],
    [
      { mode: 'cover', width: 400, height: 200 },
      [extract(0, 0, 400, 200), resize(400, 200)],
      { x: 0.25, y: 0.3 },
    ],
    [
      { mode: 'cover', width: 200, height: 300 },
      [extract(0, 0, 200, 300), resize(200, 300)],
      { x: 0.5, y: 0.2 },
    ],
    [
      { mode: 'cover', width: 200, height: 100, around: 'interesting' },
      [interesting(400, 200), resize(200, 100)],
      MIDDLE,
    ],
    [
      { mode: 'cover', width: 100, height: 100, around: 'interesting' },
      [interesting(300, 300), resize(100, 100)],
      MIDDLE,
    ],
  ])('%j cuts', (step, operations, focal) => {
    expect(follow({ op: 'fit', ...step })).toEqual({ operations, size: [step.width, step.height], focal });
  });
});

describe('a fit that contains', () => {
  test.each<[{ width?: number; height?: number; background?: string }, object[], [number, number]]>([
    [{ width: 200, height: 200 }, [resize(200, 150), extend(0, 25, 0, 25)], [200, 200]],
    [{ width: 201, height: 200 }, [resize(201, 151), extend(0, 24, 0, 25)], [201, 200]],
    [{ width: 300, height: 100 }, [resize(133, 100), extend(83, 0, 84, 0)], [300, 100]],
    [{ width: 500, height: 420, background: '#8a3a25' }, [extend(50, 60, 50, 60, '#8a3a25')], [500, 420]],
    [{ width: 200 }, [resize(200, 150)], [200, 150]],
    [{ height: 150 }, [resize(200, 150)], [200, 150]],
    [{ width: 400, height: 300 }, [], [400, 300]],
  ])('%j', (box, operations, size) => {
    expect(follow({ op: 'fit', mode: 'contain', ...box })).toMatchObject({ operations, size });
  });

  test('takes the focal point with it', () => {
    const { focal } = follow({ op: 'fit', mode: 'contain', width: 200, height: 200 }) as { focal: object };
    expect(focal).toEqual({ x: 0.25, y: 0.275 });
  });

  test('of a picture that is already as wide, or as high, changes its size where that is needed', () => {
    const flat = { size: { width: 200, height: 10 }, focal: MIDDLE };
    expect(follow({ op: 'fit', mode: 'contain', width: 100, height: 10 }, flat)).toMatchObject({
      operations: [resize(100, 5), extend(0, 2, 0, 3)],
    });
  });
});

test.each<[number, object[], [number, number]]>([
  [0, [], [400, 300]],
  [360, [], [400, 300]],
  [-720, [], [400, 300]],
  [
    90,
    [{ kind: 'rotate', degrees: 90, background: 'transparent', size: { width: 300, height: 400 } }],
    [300, 400],
  ],
  [
    -90,
    [{ kind: 'rotate', degrees: 270, background: 'transparent', size: { width: 300, height: 400 } }],
    [300, 400],
  ],
  [
    540,
    [{ kind: 'rotate', degrees: 180, background: 'transparent', size: { width: 400, height: 300 } }],
    [400, 300],
  ],
])('a rotation by %i degrees', (degrees, operations, size) => {
  expect(follow({ op: 'rotate', degrees })).toMatchObject({ operations, size });
});

test('a right angle turns the focal point exactly', () => {
  const next = resolveStep({ op: 'rotate', degrees: 90 }, CANVAS);
  expect(next.ok && next.after.focal).toEqual({ x: 0.8, y: 0.25 });
});

test.each<[PictureStep, object]>([
  [
    { op: 'corners', radius: 150 },
    { kind: 'corners', radius: 150 },
  ],
  [
    { op: 'corners', radius: 500 },
    { kind: 'corners', radius: 150 },
  ],
  [
    { op: 'background', colour: '#8a3a25' },
    { kind: 'background', colour: '#8a3a25' },
  ],
  [{ op: 'trim' }, { kind: 'trim', tolerance: 10 }],
  [
    { op: 'trim', tolerance: 30 },
    { kind: 'trim', tolerance: 30 },
  ],
  [
    { op: 'watermark', words: 'x', size: 25, margin: 10 },
    {
      kind: 'watermark',
      step: { op: 'watermark', words: 'x', size: 25, margin: 10 },
      box: { widthPx: 100, marginPx: 30 },
    },
  ],
])('%j is one operation, and keeps the size', (step, operation) => {
  const odd = { ...CANVAS, size: { width: 400, height: 301 } };
  expect(follow(step, step.op === 'corners' ? odd : CANVAS)).toMatchObject({ operations: [operation] });
  expect(follow(step)).toMatchObject({ size: [400, 300], focal: CANVAS.focal });
});

test('a border of nothing is none, and of one side is one', () => {
  expect(follow({ op: 'border', width: 5, colour: '#000000' })).toMatchObject({
    operations: [extend(5, 5, 5, 5, '#000000')],
    size: [410, 310],
  });
});

describe('a side', () => {
  test.each([
    ['width', MAX_SIDE_PX - 2, 100, true],
    ['width', MAX_SIDE_PX - 1, 100, false],
    ['height', 100, MAX_SIDE_PX - 2, true],
    ['height', 100, MAX_SIDE_PX - 1, false],
  ])('%s has its most pixels and no more: %i × %i', (_side, width, height, isRight) => {
    const border = { op: 'border', width: 1, colour: '#000000' } as const;
    const result = follow(border, { size: { width, height }, focal: MIDDLE });
    expect(typeof result === 'string' ? result : 'right').toBe(isRight ? 'right' : 'too-many-pixels');
  });

  test.each<[string, number, number, PictureStep[], number | null]>([
    ['of a large source that is not enlarged', 20_000, 100, [], null],
    ['of a large source, the other way', 100, 20_000, [], null],
    ['of a large source that is cut', 20_000, 100, [{ op: 'crop', width: 20_000, height: 50 }], null],
    ['that is enlarged', 100, 400, [{ op: 'fit', mode: 'inside', width: MAX_SIDE_PX, enlarge: true }], 0],
    [
      'that is enlarged, the other',
      400,
      100,
      [{ op: 'fit', mode: 'inside', height: MAX_SIDE_PX, enlarge: true }],
      0,
    ],
    [
      'that is enlarged as far as it goes',
      400,
      100,
      [{ op: 'fit', mode: 'inside', width: MAX_SIDE_PX, enlarge: true }],
      null,
    ],
    [
      'that is enlarged by the second step',
      ...[100, 400],
      [
        { op: 'crop', width: 100, height: 300 },
        { op: 'fit', mode: 'inside', width: MAX_SIDE_PX, enlarge: true },
      ],
      1,
    ],
  ] as [string, number, number, PictureStep[], number | null][])(
    '%s',
    (_what, width, height, steps, fault) => {
      const begun = startChain({ width, height }, steps);
      expect(begun.ok ? null : [begun.fault.code, begun.fault.step]).toEqual(
        fault === null ? null : ['too-many-pixels', fault],
      );
    },
  );
});

test('which of several crops starts outside is told', () => {
  const steps: PictureStep[] = [
    { op: 'fit', mode: 'inside', width: 200 },
    { op: 'crop', left: 300, top: 0, width: 9, height: 9 },
    { op: 'fit', mode: 'inside', width: 2 },
  ];
  expect(chainSize({ width: 400, height: 300 }, steps)).toMatchObject({
    ok: false,
    fault: { step: 1, code: 'crop-outside', message: expect.stringContaining('400 × 300') },
  });
});
