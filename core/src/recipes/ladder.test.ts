import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { checkLadder, computeRungs, givenRungs, type Ladder, variantName } from './ladder.js';

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

test.each<[Ladder, string | null]>([
  [{ widths: [1] }, null],
  [{ widths: [16_384, 1] }, null],
  [{ widths: [16_385] }, 'ladder.widths'],
  [{ widths: [0] }, 'ladder.widths'],
  [{ widths: [5, 0] }, 'ladder.widths'],
  [{ widths: [5, 5] }, 'ladder.widths'],
  [{ widths: [] }, 'ladder.widths'],
  [{ widths: Array.from({ length: 40 }, (_, n) => n + 1) }, null],
  [{ widths: Array.from({ length: 41 }, (_, n) => n + 1) }, 'ladder.widths'],
  [{ from: 1 }, null],
  [{ from: 0 }, 'ladder.from'],
  [{ from: 16_384 }, null],
  [{ from: 16_385 }, 'ladder.from'],
  [{ from: 9, stepBytes: 500 }, null],
  [{ from: 9, stepBytes: 499 }, 'ladder.stepBytes'],
  [{ from: 9, most: 2 }, null],
  [{ from: 9, most: 40 }, null],
  [{ from: 9, most: 41 }, 'ladder.most'],
  [{ from: 9, most: 1 }, 'ladder.most'],
  [{ from: 9, most: 2.5 }, 'ladder.most'],
])('of %j what is wrong is %s', (ladder, field) => {
  expect(checkLadder(ladder).map((one) => one.field)).toEqual(field === null ? [] : [field]);
});

describe('widths by their bytes', () => {
  /** Measures by a function of the width, and counts. */
  async function rungsOf(
    bytes: (width: number) => number,
    ladder: Parameters<typeof computeRungs>[1],
    top = 400,
  ) {
    const asked: number[] = [];
    const rungs = await computeRungs({ width: top, height: top / 2 }, ladder, async ({ width, height }) => {
      expect(height).toBe(Math.max(1, Math.floor(width / 2 + 0.5)));
      asked.push(width);
      return bytes(width);
    });
    return { widths: rungs.map(({ width }) => width), asked };
  }
  const square = (width: number) => width ** 2;

  test('that follow a power are found at once', async () => {
    // Between 10,000 and 160,000 bytes: √110,000 and √60,000.
    expect(await rungsOf(square, { from: 100, stepBytes: 50_000 })).toEqual({
      widths: [400, 332, 245, 100],
      asked: [100, 400, 332, 245],
    });
    // One byte too many for three steps: four of 37,500.
    expect((await rungsOf(square, { from: 100, stepBytes: 49_999 })).widths).toEqual([
      400, 350, 292, 218, 100,
    ]);
    expect((await rungsOf(square, { from: 100, stepBytes: 50_000, most: 3 })).widths).toEqual([
      400, 292, 100,
    ]);
    expect((await rungsOf(square, { from: 100, stepBytes: 50_000, most: 2 })).widths).toEqual([400, 100]);
    expect((await rungsOf(square, { from: 100 })).widths).toHaveLength(8);
  });

  test('are one step apart where that is all there is', async () => {
    expect((await rungsOf(square, { from: 100, stepBytes: 150_000 })).widths).toEqual([400, 100]);
  });

  test('of a picture that is no wider than the smallest are its own, unmeasured', async () => {
    expect(await rungsOf(square, { from: 400 })).toEqual({ widths: [400], asked: [] });
    expect((await rungsOf(square, { from: 399 })).widths).toEqual([400, 399]);
  });

  test('where bytes leap, are searched for a while, and each is there once', async () => {
    const { widths, asked } = await rungsOf((width) => (width < 250 ? 1000 + width : 9000 + width), {
      from: 100,
      stepBytes: 3000,
    });
    expect(widths).toEqual([...new Set(widths)].sort((a, b) => b - a));
    expect([widths[0], widths.at(-1)]).toEqual([400, 100]);
    expect(asked.length).toBeLessThanOrEqual(2 + 2 * 5);
    expect(new Set(asked).size).toBe(asked.length);
  });

  test('on a line are within a twenty-fifth of a step', async () => {
    const line = (width: number) => 50_000 + 100 * width;
    const { widths } = await rungsOf(line, { from: 100, stepBytes: 10_000 });
    for (const [n, width] of widths.entries())
      expect(Math.abs(width - (400 - n * 100))).toBeLessThanOrEqual(4);
    expect(widths).toHaveLength(4);
  });
});

test('a variant is called by its width and type', () => {
  expect(variantName(500, 'webp')).toBe('500w.webp');
});
