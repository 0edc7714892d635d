import fc from 'fast-check';
import { expect, test } from 'vitest';
import { backoffMs } from './backoff.js';
import { currentRate, nextRate, type RateSample, secondsLeft } from './rate.js';
import { endedItems, finalState, isActive } from './run.js';

test('the wait doubles, half of it fixed, up to the longest', () => {
  expect(backoffMs(1, 0)).toBe(500);
  expect(backoffMs(1, 1)).toBe(1000);
  expect(backoffMs(4, 1)).toBe(8000);
  expect(backoffMs(50, 1)).toBe(300_000);
});

test('a wait lies between half and all of its step', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 60 }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      (attempts, random) => {
        const full = Math.min(60_000, 100 * 2 ** (attempts - 1));
        const wait = backoffMs(attempts, random, { baseMs: 100, maxMs: 60_000 });
        expect(wait).toBeGreaterThanOrEqual(Math.floor(full / 2));
        expect(wait).toBeLessThanOrEqual(Math.ceil(full));
      },
    ),
  );
});

test('the rate of steady work is its rate, from the first window on', () => {
  let sample: RateSample = { atMs: 0, ended: 0, perSecond: null };
  for (let second = 1; second <= 20; second += 1) sample = nextRate(sample, second * 1000, second * 5);
  expect(sample.perSecond).toBeCloseTo(5);
});

test('after a pause the rate is that of now', () => {
  const before: RateSample = { atMs: 0, ended: 100, perSecond: 50 };
  expect(nextRate(before, 100_000, 200).perSecond).toBeCloseTo(1);
});

test('a rate that nobody renewed says nothing', () => {
  const sample: RateSample = { atMs: 0, ended: 10, perSecond: 5 };
  expect([currentRate(sample, 10_000), currentRate(sample, 60_000)]).toEqual([5, null]);
});

test('the time left is the rest over the rate', () => {
  const counts = { total: 100, done: 38, failed: 1, skipped: 1 };
  expect(secondsLeft(counts, 7)).toBe(9);
  expect(secondsLeft(counts, null)).toBeNull();
  expect(secondsLeft(counts, 0)).toBeNull();
  expect(secondsLeft({ ...counts, done: 98 }, 7)).toBe(0);
});

test('a run that ended with a failed item is faulty', () => {
  expect(finalState({ total: 2, done: 1, failed: 1, skipped: 0 })).toBe('faulty');
  expect(finalState({ total: 2, done: 1, failed: 0, skipped: 1 })).toBe('done');
  expect(endedItems({ total: 9, done: 1, failed: 2, skipped: 3 })).toBe(6);
  expect(isActive('stopping') && !isActive('stopped')).toBe(true);
});
