import fc from 'fast-check';
import { expect, test } from 'vitest';
import { HISTORY_DAYS, type StoreSample, sumUpHistory } from './history.js';

const NOW = Date.UTC(2026, 4, 20, 12, 2, 30);
const MINUTE = 60_000;
const sample = (minutesAgo: number, more: Partial<StoreSample> = {}): StoreSample => ({
  ...{ atMs: NOW - minutesAgo * MINUTE, bytes: null, copies: null, sent: 0 },
  ...more,
});

test('a day has periods of five minutes, of which the last is not over yet', () => {
  const { stepSeconds, items } = sumUpHistory([], { days: 1, nowMs: NOW });
  expect([stepSeconds, items.length]).toEqual([300, 288]);
  expect([items[0]?.at, items.at(-1)?.at]).toEqual(['2026-05-19T12:05:00.000Z', '2026-05-20T12:00:00.000Z']);
  expect(items.every(({ bytes, sent }) => bytes === null && sent === 0)).toBe(true);
});

test('what a store holds is carried on, and what was sent belongs to its period only', () => {
  const { items } = sumUpHistory(
    [
      sample(3 * 24 * 60, { bytes: 100, copies: 1, sent: 100 }),
      sample(10, { sent: 40 }),
      sample(8, { bytes: 160, copies: 3, sent: 20 }),
      sample(0, { sent: 5 }),
    ],
    { days: 1, nowMs: NOW },
  );
  expect(items.slice(-4).map(({ bytes, copies, sent }) => [bytes, copies, sent])).toEqual([
    [100, 1, 0],
    [160, 3, 60],
    [160, 3, 0],
    [160, 3, 5],
  ]);
  expect(items[0]).toMatchObject({ bytes: 100, sent: 0 });
});

test('two weeks and a year have longer periods', () => {
  const lengths = HISTORY_DAYS.map((days) => {
    const { stepSeconds, items } = sumUpHistory([], { days, nowMs: NOW });
    return [days, stepSeconds, items.length];
  });
  expect(lengths).toEqual([
    [1, 300, 288],
    [14, 10_800, 112],
    [365, 86_400, 365],
  ]);
});

test('nothing that was sent in the time is lost or counted twice', () => {
  fc.assert(
    fc.property(
      fc.constantFrom(...HISTORY_DAYS),
      fc.array(fc.tuple(fc.integer({ min: 0, max: 400 * 24 * 60 }), fc.nat(1000)), { maxLength: 40 }),
      (days, made) => {
        const samples = made
          .map(([minutesAgo, sent]) => sample(minutesAgo, { sent }))
          .sort((a, b) => a.atMs - b.atMs);
        const { items } = sumUpHistory(samples, { days, nowMs: NOW });
        const begin = Date.parse(items[0]?.at ?? '');
        const expected = samples.filter(({ atMs }) => atMs >= begin).reduce((sum, { sent }) => sum + sent, 0);
        expect(items.reduce((sum, { sent }) => sum + sent, 0)).toBe(expected);
      },
    ),
  );
});
