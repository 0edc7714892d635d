import { describe, expect, test } from 'vitest';
import { parseAspect } from './aspect.js';
import { estimateRebuild } from './estimate.js';
import { nearestRendition } from './nearest-rendition.js';
import { placeWatermark, watermarkBox } from './watermark-box.js';
import { drawWave, PeakGatherer } from './wave-form.js';

describe('the estimate of a rebuild', () => {
  const sample = { pixels: 100, bytes: 1000, workMs: 500, pixelsAfter: 100 };

  test('is the mean of what was measured, by the slots that work', () => {
    expect(estimateRebuild([sample, { ...sample, bytes: 3000, workMs: 1500 }], 10, 2)).toEqual({
      seconds: 5,
      bytesAfter: 20_000,
    });
  });

  test('grows with the pixels: the bytes by all of it, the time by its half', () => {
    expect(estimateRebuild([{ ...sample, pixelsAfter: 300 }], 1, 1)).toEqual({
      seconds: 1,
      bytesAfter: 3000,
    });
  });

  test('leaves out what would fail and what has no size, and knows nothing of nothing', () => {
    const bad = [
      { ...sample, pixelsAfter: null, bytes: 9e9 },
      { ...sample, pixels: 0, bytes: 9e9 },
    ];
    expect(estimateRebuild([...bad, sample], 1, 1).bytesAfter).toBe(1000);
    expect(estimateRebuild(bad, 1, 1)).toEqual({ seconds: null, bytesAfter: null });
    expect(estimateRebuild([], 1, 1)).toEqual({ seconds: null, bytesAfter: null });
    expect(estimateRebuild([], 0, 1)).toEqual({ seconds: 0, bytesAfter: 0 });
  });

  test('has no time where none was measured, and counts no slots as one', () => {
    expect(estimateRebuild([{ ...sample, workMs: null }], 2, 1)).toEqual({ seconds: null, bytesAfter: 2000 });
    expect(estimateRebuild([sample, { ...sample, workMs: null }], 2, 0).seconds).toBe(1);
  });
});

describe('what is shown instead', () => {
  const file = (width: number, height: number, mime = 'image/webp') => ({ width, height, mime });
  const nearest = (...candidates: ReturnType<typeof file>[]) => nearestRendition(file(100, 100), candidates);

  test('is of its shape, rather than of its size', () => {
    expect(nearest(file(100, 50), file(200, 200))).toEqual(file(200, 200));
    // Twice as wide costs as much as a shape that differs by a fifth.
    expect(nearest(file(100, 90), file(200, 200))).toEqual(file(100, 90));
  });

  test('is rather larger than smaller, by as much as twice', () => {
    expect(nearest(file(70, 70), file(180, 180))).toEqual(file(180, 180));
    expect(nearest(file(95, 95), file(180, 180))).toEqual(file(95, 95));
  });

  test('is of its type where all else is equal, and nothing of nothing', () => {
    expect(nearest(file(120, 120, 'image/jpeg'), file(120, 120))).toEqual(file(120, 120));
    expect(nearest(file(120, 120), file(120, 120, 'image/jpeg'))).toEqual(file(120, 120));
    expect(nearest()).toBeNull();
  });
});

describe('a watermark', () => {
  const step = { op: 'watermark', path: '/a.svg' } as unknown as Parameters<typeof watermarkBox>[0];
  const picture = { width: 1000, height: 500 };

  test('is a share of the width, its margin one of the shorter side', () => {
    expect(watermarkBox(step, picture)).toEqual({ widthPx: 200, marginPx: 15 });
    expect(watermarkBox({ ...step, size: 50, margin: 10 }, { width: 500, height: 1000 })).toEqual({
      widthPx: 250,
      marginPx: 50,
    });
  });

  test.each([
    [undefined, 785, 385],
    ['bottom-right', 785, 385],
    ['bottom-left', 15, 385],
    ['top-left', 15, 15],
    ['top-right', 785, 15],
    ['centre', 400, 200],
  ] as const)('lies at the %s', (place, left, top) => {
    const at = { ...step, ...(place && { place }) } as typeof step;
    expect(placeWatermark(at, { widthPx: 200, marginPx: 15 }, picture, { width: 200, height: 100 })).toEqual({
      left,
      top,
    });
  });

  test('has no margin where there is no room for one', () => {
    const box = { widthPx: 1000, marginPx: 15 };
    const mark = { width: 1000, height: 600 };
    expect(placeWatermark({ ...step, place: 'top-left' } as typeof step, box, picture, mark)).toEqual({
      left: 0,
      top: -100,
    });
    expect(placeWatermark({ ...step, place: 'bottom-right' } as typeof step, box, picture, mark)).toEqual({
      left: 0,
      top: 0,
    });
  });
});

describe('a wave form', () => {
  test('gathers peaks over pieces of any size', () => {
    const gatherer = new PeakGatherer(2, 4);
    gatherer.add([0.5, -0.25, 0.1]);
    gatherer.add([-1]);
    // More than was announced belongs to the last column.
    gatherer.add([0.75]);
    expect(gatherer.peaks).toEqual([
      { low: -0.25, high: 0.5 },
      { low: -1, high: 0.75 },
    ]);
    expect(new PeakGatherer(2, 0).peaks).toEqual([
      { low: 0, high: 0 },
      { low: 0, high: 0 },
    ]);
  });

  test('is drawn so that the loudest fills the height, and silence is a line', () => {
    const svg = drawWave(
      [
        { low: -0.5, high: 0.25 },
        { low: 0, high: 0 },
      ],
      { width: 20, height: 12 },
      '#ff0000',
      'transparent',
    );
    expect(svg).toBe(
      '<svg xmlns="http://www.w3.org/2000/svg" width="20" height="12"><path d="M5 3.5L15 5.5L15 6.5L5 11Z" fill="#ff0000"/></svg>',
    );
  });

  test('is painted with its opacity, on its ground', () => {
    const svg = drawWave([{ low: 0, high: 1 }], { width: 2, height: 12 }, '#00ff0080', '#0000ff');
    expect(svg).toContain('<rect width="100%" height="100%" fill="#0000ff"/>');
    expect(svg).toContain('fill="#00ff00" fill-opacity="0.5"');
    expect(drawWave([{ low: 0, high: 1 }], { width: 2, height: 12 }, 'transparent', '#0000ff')).toContain(
      'fill="none"',
    );
  });
});

test.each([
  ['16:9', { width: 16, height: 9 }],
  ['2.35:1', { width: 2.35, height: 1 }],
  ['0:1', null],
  ['1:0', null],
  ['16:9x', null],
  ['x16:9', null],
  ['16', null],
  ['123456:1', null],
  ['1.23456:1', null],
])('the aspect %s', (text, aspect) => {
  expect(parseAspect(text)).toEqual(aspect);
});
