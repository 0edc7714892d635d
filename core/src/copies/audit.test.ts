import fc from 'fast-check';
import { expect, test } from 'vitest';
import { compareListed, Reservoir } from './audit.js';

test('what is listed is compared by size, then by entity tag', () => {
  const recorded = { bytes: 10, etag: 'x' };
  expect(compareListed(recorded, { bytes: 10, etag: 'x' })).toBe('same');
  expect(compareListed(recorded, { bytes: 11, etag: 'x' })).toBe('size');
  expect(compareListed(recorded, { bytes: 10, etag: 'y' })).toBe('unsure');
  expect(compareListed({ ...recorded, etag: null }, { bytes: 10, etag: 'x' })).toBe('unsure');
});

function sampleOf(size: number, count: number, random: () => number): number[] {
  const sample = new Reservoir<number>(size, random);
  for (let n = 0; n < count; n += 1) sample.add(n);
  return [...sample.chosen];
}

test('a sample holds everything while there is room, and nothing without any', () => {
  const random = () => 0.5;
  expect(sampleOf(5, 3, random)).toEqual([0, 1, 2]);
  expect(sampleOf(3, 3, random)).toEqual([0, 1, 2]);
  expect(sampleOf(0, 100, random)).toEqual([]);
  expect(sampleOf(Number.POSITIVE_INFINITY, 4, random)).toEqual([0, 1, 2, 3]);
});

test('property: a sample has its size and no entry twice', () => {
  fc.assert(
    fc.property(
      fc.nat(20),
      fc.nat(200),
      fc.infiniteStream(fc.double({ min: 0, max: 1, maxExcluded: true, noNaN: true })),
      (size, count, numbers) => {
        const chosen = sampleOf(size, count, () => numbers.next().value ?? 0);
        expect(chosen).toHaveLength(Math.min(size, count));
        expect(new Set(chosen).size).toBe(chosen.length);
      },
    ),
  );
});

test('every entry is as likely as any other', () => {
  let seed = 42;
  // Source: the minimal standard generator, Park and Miller, CACM 31 (1988).
  const random = () => {
    seed = (seed * 16_807) % 2_147_483_647;
    return seed / 2_147_483_647;
  };
  const times = Array.from({ length: 20 }, () => 0);
  for (let round = 0; round < 20_000; round += 1)
    for (const entry of sampleOf(5, 20, random)) times[entry] = (times[entry] ?? 0) + 1;
  // Expected 5,000 each, with a standard deviation of 61.
  for (const count of times) expect(Math.abs(count - 5000)).toBeLessThan(5 * 61);
});
