import { ssim } from 'ssim.js';
import { describe, expect, test } from 'vitest';
import { type GreyPicture, structuralSimilarity, toGrey } from './likeness.js';

/** A picture with edges and grain; `noise` and `blur` spoil it. */
function picture(width: number, height: number, { noise = 0, shift = 0 } = {}) {
  const data = new Uint8ClampedArray(width * height * 4);
  let state = 7;
  for (let y = 0; y < height; y += 1)
    for (let x = 0; x < width; x += 1) {
      state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
      const value =
        (Math.sin((x + shift) / 9) + Math.cos(y / 14)) * 50 +
        128 +
        ((x >> 5) % 2) * 30 +
        ((state >>> 24) / 255 - 0.5) * noise;
      data.set([value, value * 0.8, 255 - value, 255], (y * width + x) * 4);
    }
  return { data, width, height };
}

const ours = (a: ReturnType<typeof picture>, b: ReturnType<typeof picture>) =>
  structuralSimilarity(toGrey(a.data, { ...a, channels: 4 }), toGrey(b.data, { ...b, channels: 4 }));

function noisePicture(width: number, height: number, seed: number): GreyPicture {
  let state = seed;
  const data = Array.from({ length: width * height }, () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state >>> 24;
  });
  return { data, width, height };
}

describe('structural similarity', () => {
  // Source: the package ssim.js, which follows the authors' published script (`ssim: 'original'`).
  test.each([
    [120, 90, { noise: 20 }],
    [120, 90, { noise: 90 }],
    [200, 160, { shift: 3 }],
    [700, 560, { noise: 60 }],
    [11, 11, { noise: 90 }],
    [40, 11, { noise: 90 }],
    [11, 40, { noise: 90 }],
  ])('agrees with a published library on %i × %i, %j', (width, height, spoiled) => {
    const [a, b] = [picture(width, height), picture(width, height, spoiled)];
    const theirs = ssim(a, b, {
      ssim: 'original',
      downsample: 'original',
      rgb2grayVersion: 'original',
    } as never).mssim;
    expect(Math.abs(ours(a, b) - theirs)).toBeLessThan(0.02);
  });

  test('is 1 for the same, less for more noise, and not for another size', () => {
    const a = picture(64, 64);
    expect(ours(a, a)).toBeCloseTo(1, 10);
    expect(ours(a, picture(64, 64, { noise: 30 }))).toBeGreaterThan(ours(a, picture(64, 64, { noise: 120 })));
    expect(() => ours(a, picture(63, 64))).toThrow(RangeError);
  });

  test('of pictures of twice the side, pixel by pixel, is the same: blocks are averaged, and what is left over does not count', () => {
    const [a, b] = [noisePicture(256, 260, 1), noisePicture(256, 260, 2)];
    const doubled = (small: GreyPicture, leftOver: number): GreyPicture => {
      const [width, height] = [small.width * 2 + 1, small.height * 2 + 1];
      const data = Float64Array.from({ length: width * height }, (_, at) => {
        const [x, y] = [(at % width) >> 1, Math.floor(at / width) >> 1];
        return x < small.width && y < small.height ? (small.data[y * small.width + x] as number) : leftOver;
      });
      return { data, width, height };
    };
    expect(structuralSimilarity(doubled(a, 0), doubled(b, 255))).toBeCloseTo(structuralSimilarity(a, b), 10);
    expect(structuralSimilarity(a, b)).toBeLessThan(0.5);
  });

  test('of pictures that are smaller than its window is one figure', () => {
    expect(ours(picture(5, 4), picture(5, 4))).toBeCloseTo(1, 10);
    expect(ours(picture(5, 4), picture(5, 4, { noise: 200 }))).toBeLessThan(1);
  });
});

describe('grey', () => {
  const greyOf = (channels: number, ...pixel: number[]) =>
    toGrey(pixel, { width: 1, height: 1, channels }).data[0];

  // Source: Rec. ITU-R BT.601-7, section 2.5.1.
  test('is the luma of colours, and grey itself', () => {
    expect(greyOf(3, 200, 100, 50)).toBeCloseTo(0.299 * 200 + 0.587 * 100 + 0.114 * 50, 10);
    expect(greyOf(1, 77)).toBe(77);
    expect(greyOf(2, 77, 10)).toBe(77);
  });

  test('of what is transparent lies on white', () => {
    expect(greyOf(4, 100, 100, 100, 255)).toBeCloseTo(100, 10);
    expect(greyOf(4, 100, 100, 100, 51)).toBeCloseTo(100 * 0.2 + 255 * 0.8, 10);
    expect(greyOf(4, 100, 100, 100, 0)).toBeCloseTo(255, 10);
  });

  test('is read pixel by pixel', () => {
    const { data, width, height } = toGrey([1, 1, 1, 2, 2, 2, 3, 3, 3], { width: 3, height: 1, channels: 3 });
    expect([[...Array.from(data)].map(Math.round), width, height]).toEqual([[1, 2, 3], 3, 1]);
  });
});

// Source: equation 13, with the mean, variance and covariance of all pixels.
test('of two flat pictures that are smaller than the window only the luminance counts', () => {
  const flat = (value: number): GreyPicture => ({ data: Array(20).fill(value), width: 5, height: 4 });
  const c1 = (0.01 * 255) ** 2;
  expect(structuralSimilarity(flat(100), flat(200))).toBeCloseTo(
    (2 * 100 * 200 + c1) / (100 ** 2 + 200 ** 2 + c1),
    10,
  );
  const striped = (other: number): GreyPicture => ({
    data: Array.from({ length: 20 }, (_, at) => (at % 2 ? other : 100)),
    width: 5,
    height: 4,
  });
  // Means 110 and 90, variances 100 and 100, covariance −100.
  const c2 = (0.03 * 255) ** 2;
  expect(structuralSimilarity(striped(120), striped(80))).toBeCloseTo(
    ((2 * 110 * 90 + c1) * (2 * -100 + c2)) / ((110 ** 2 + 90 ** 2 + c1) * (200 + c2)),
    10,
  );
});

test('a side that is smaller than the window is enough for one figure', () => {
  for (const [width, height] of [
    [10, 60],
    [60, 10],
  ] as const)
    expect(structuralSimilarity(noisePicture(width, height, 1), noisePicture(width, height, 1))).toBeCloseTo(
      1,
      10,
    );
});
