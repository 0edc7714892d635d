import fc from 'fast-check';
import { expect, test } from 'vitest';
import { LEAST_QUALITY, qualityOfLikeness, qualityWithin } from './quality.js';

test('the highest quality within a limit is found, with few tries', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.integer({ min: 1, max: 400 }),
      fc.integer({ min: 20, max: 100 }),
      fc.integer({ min: 0, max: 40_000 }),
      async (slope, most, limit) => {
        let tries = 0;
        const bytesAt = (quality: number) => quality * slope + 100;
        const found = await qualityWithin(limit, most, async (quality) => {
          tries += 1;
          return { bytes: bytesAt(quality), result: quality };
        });
        expect(tries).toBeLessThanOrEqual(9);
        if (found.ok) {
          expect(found.found.bytes).toBeLessThanOrEqual(limit);
          expect(found.found.quality === most || bytesAt(found.found.quality + 1) > limit).toBe(true);
        } else expect(found.leastBytes).toBe(bytesAt(LEAST_QUALITY));
      },
    ),
  );
});

test('the lowest quality that is like enough is found; the highest when none is', async () => {
  const encode = async (quality: number) => ({
    bytes: quality,
    likeness: 1 - 1 / (quality + 1),
    result: quality,
  });
  expect(await qualityOfLikeness(0.95, 90, encode)).toMatchObject({ quality: 19 });
  expect(await qualityOfLikeness(0.999, 90, encode)).toMatchObject({ quality: 90 });
});

test('each quality is tried once, and the limit itself is within it', async () => {
  const tried: number[] = [];
  const within = (limit: number, most = 90) => {
    tried.length = 0;
    return qualityWithin(limit, most, async (quality) => {
      tried.push(quality);
      return { bytes: quality * 10, result: `q${quality}` };
    });
  };
  expect(await within(900)).toEqual({ ok: true, found: { quality: 90, bytes: 900, result: 'q90' } });
  expect(tried).toEqual([90]);
  expect(await within(899)).toEqual({ ok: true, found: { quality: 89, bytes: 890, result: 'q89' } });
  expect(new Set(tried).size).toBe(tried.length);
  expect(await within(500)).toMatchObject({ found: { quality: 50 } });
  expect(await within(50)).toEqual({ ok: true, found: { quality: 5, bytes: 50, result: 'q5' } });
  expect(await within(49)).toEqual({ ok: false, leastBytes: 50 });
  // Of a quality below the least one, that is the only one.
  expect(await within(30, 3)).toMatchObject({ ok: true, found: { quality: 3 } });
  expect(await within(29, 3)).toEqual({ ok: false, leastBytes: 30 });
});

test('a likeness that is reached exactly is enough, down to the least quality', async () => {
  const tried: number[] = [];
  const found = (likeness: number, most = 90) => {
    tried.length = 0;
    return qualityOfLikeness(likeness, most, async (quality) => {
      tried.push(quality);
      return { bytes: quality, likeness: quality / 100, result: quality };
    });
  };
  expect(await found(0.5)).toMatchObject({ quality: 50, likeness: 0.5 });
  expect(await found(0.9)).toMatchObject({ quality: 90 });
  expect(await found(0.91)).toMatchObject({ quality: 90, likeness: 0.9 });
  expect(tried).toEqual([90]);
  expect(await found(0.001)).toMatchObject({ quality: 5 });
  expect(Math.min(...tried)).toBe(5);
  expect(await found(0.001, 2)).toMatchObject({ quality: 2 });
});
