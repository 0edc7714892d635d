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
