import { describe, expect, test } from 'vitest';
import { failureReason } from './failures.js';
import { currentRate, nextRate, secondsLeft } from './rate.js';
import { isActive, RUN_STATES } from './run.js';

test.each([
  ["dusk.jpg can't be decoded: 2 bytes are missing", 'dusk.jpg', "… can't be decoded: # bytes are missing"],
  ['1,204.50 of 3.000 rows in a.b.c', '', '# of # rows in a.b.c'],
  ['a  b\n\tc ', '', 'a b c'],
  [' x', '', 'x'],
  ['a.jpg and a.jpg', 'a.jpg', '… and …'],
  ['nothing of it', 'dusk.jpg', 'nothing of it'],
  ['it is cut off (tried once)', '', 'it is cut off'],
  ['it is cut off (tried 12 times)', '', 'it is cut off'],
  ['it (tried 3 times) is cut off', '', 'it (tried # times) is cut off'],
])('%j is the reason of failures like it', (error, title, reason) => {
  expect(failureReason(error, title)).toBe(reason);
});

test('a reason of 160 characters is kept whole, a longer one ends in an ellipsis', () => {
  expect(failureReason('x'.repeat(160), '')).toBe('x'.repeat(160));
  expect(failureReason('x'.repeat(161), '')).toBe(`${'x'.repeat(159)}…`);
});

describe('the rate', () => {
  const sample = { atMs: 1000, ended: 10, perSecond: 10 };

  test('waits for a window of two seconds', () => {
    expect(nextRate(sample, 2999, 90)).toBe(sample);
    expect(nextRate(sample, 3000, 30)).toEqual({ atMs: 3000, ended: 30, perSecond: 10 });
  });

  test('follows a change by two fifths of it', () => {
    // 40 items in two seconds are 20 per second, against 10 before.
    expect(nextRate(sample, 3000, 50).perSecond).toBeCloseTo(14);
    expect(nextRate({ ...sample, perSecond: null }, 3000, 50).perSecond).toBe(20);
  });

  test('forgets the past after a pause of more than half a minute', () => {
    expect(nextRate(sample, 31_000, 310).perSecond).toBeCloseTo(10);
    expect(nextRate(sample, 31_000, 10).perSecond).toBeCloseTo(6);
    expect(nextRate(sample, 31_001, 10).perSecond).toBe(0);
    expect(currentRate(sample, 31_000)).toBe(10);
    expect(currentRate(sample, 31_001)).toBeNull();
  });

  test('tells the time that is left, and that nothing is left', () => {
    const counts = { total: 10, done: 4, failed: 1, skipped: 1 };
    expect(secondsLeft(counts, 2)).toBe(2);
    expect(secondsLeft(counts, -1)).toBeNull();
    expect(secondsLeft({ ...counts, done: 8 }, null)).toBe(0);
    expect(secondsLeft({ ...counts, done: 9 }, 5)).toBe(0);
  });
});

test('a run that waits, works or is stopping can still move', () => {
  expect(RUN_STATES.filter(isActive)).toEqual(['waiting', 'working', 'stopping']);
});
