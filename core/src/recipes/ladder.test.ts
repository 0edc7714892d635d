import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { computeRungs, givenRungs } from './ladder.js';

describe('given widths', () => {
  // Common practice, no source.
  test('a ladder of 1000, 750 and 500 leaves a 700-wide picture with the 500 only', () => {
    expect(givenRungs({ width: 700, height: 350 }, { widths: [1000, 750, 500] })).toEqual([
      { width: 500, height: 250 },
    ]);
  });

  test('a picture below all of them has its own width', () => {
    expect(givenRungs({ width: 300, height: 200 }, { widths: [500] })).toEqual([{ width: 300, height: 200 }]);
    expect(givenRungs({ width: 600, height: 300 }, { widths: [300, 601, 600, 450] })).toEqual([
      { width: 600, height: 300 },
      { width: 450, height: 225 },
      { width: 300, height: 150 },
    ]);
  });
});

describe('computed widths', () => {
  const power =
    (a: number, p: number) =>
    async ({ width }: { width: number }) =>
      Math.round(a * width ** p);

  test('differ by about the same number of bytes, whatever the curve', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.double({ min: 1.1, max: 2, noNaN: true }),
        fc.integer({ min: 1200, max: 4000 }),
        fc.integer({ min: 8000, max: 60_000 }),
        async (p, width, stepBytes) => {
          const measure = power(0.5, p);
          const rungs = await computeRungs(
            { width, height: width },
            { from: 320, stepBytes, most: 9 },
            measure,
          );
          expect(rungs[0]?.width).toBe(width);
          expect(rungs.at(-1)?.width).toBe(320);
          const bytes = await Promise.all(rungs.map(measure));
          const steps = bytes.slice(0, -1).map((value, index) => value - (bytes[index + 1] ?? 0));
          const mean = steps.reduce((sum, step) => sum + step, 0) / steps.length;
          for (const step of steps) expect(Math.abs(step - mean)).toBeLessThan(mean * 0.15 + 50);
          if (rungs.length < 9) expect(mean).toBeLessThanOrEqual(stepBytes * 1.01);
        },
      ),
      { numRuns: 60 },
    );
  });

  test('measure each width about three times at most, and none twice', async () => {
    const asked: number[] = [];
    const measure = async ({ width }: { width: number }) => {
      asked.push(width);
      return width ** 1.7;
    };
    const rungs = await computeRungs(
      { width: 2000, height: 1000 },
      { from: 300, stepBytes: 40_000, most: 8 },
      measure,
    );
    expect(new Set(asked).size).toBe(asked.length);
    expect(asked.length).toBeLessThanOrEqual(rungs.length * 3);
  });

  test('end when bytes do not grow with the width', async () => {
    const flat = await computeRungs({ width: 1000, height: 1000 }, { from: 200 }, async () => 900);
    expect(flat.map(({ width }) => width)).toEqual([1000, 200]);
    const falling = await computeRungs(
      { width: 1000, height: 1000 },
      { from: 200 },
      async ({ width }) => 9000 - width,
    );
    expect(falling.at(-1)?.width).toBe(200);
    expect(await computeRungs({ width: 150, height: 100 }, { from: 200 }, async () => 1)).toEqual([
      { width: 150, height: 100 },
    ]);
  });
});
