import type { StorePeriod } from '@uniferum/core/copies';
import { expect, test } from 'vitest';
import { beginOf, formatRate, linesOf, ratesOf, spreadLabels } from './history-shape.js';

const period = (minute: number, more: Partial<StorePeriod> = {}): StorePeriod => ({
  ...{ at: `2026-05-20T12:0${minute}:00.000Z`, bytes: null, copies: null, sent: 0 },
  ...more,
});
const named = (name: string, ...items: StorePeriod[]) => ({ name, history: { stepSeconds: 300, items } });

test('a line begins where something is known, and the largest store comes first', () => {
  const lines = linesOf([
    named('small', period(0), period(5, { bytes: 10 })),
    named('unknown', period(0), period(5)),
    named('large', period(0, { bytes: 40 }), period(5, { bytes: 50 })),
  ]);
  expect(lines.map(({ name, points }) => [name, points.map(({ bytes }) => bytes)])).toEqual([
    ['large', [40, 50]],
    ['small', [10]],
  ]);
});

test('rates add up over the stores, in the periods in which anything was sent', () => {
  const rates = ratesOf([
    named('a', period(0, { sent: 600 }), period(5)),
    named('b', period(0, { sent: 300 }), period(5)),
  ]);
  expect(rates).toEqual([
    {
      at: new Date('2026-05-20T12:00:00.000Z'),
      bytesPerSecond: 3,
      stores: [
        { name: 'a', bytes: 600 },
        { name: 'b', bytes: 300 },
      ],
    },
  ]);
  expect(formatRate(2_500_000)).toBe('2.5 MB/s');
});

test('labels keep their distance, in whatever order they come', () => {
  expect(spreadLabels([50, 10, 52], 14)).toEqual([50, 10, 64]);
  expect(spreadLabels([10, 10, 10], 14)).toEqual([10, 24, 38]);
  expect(spreadLabels([], 14)).toEqual([]);
});

test('a chart begins a little before anything is known, and is never too short', () => {
  const of = (length: number, known: number) =>
    named('a', ...Array.from({ length }, (_, n) => period(0, n >= known ? { bytes: n } : {})));
  expect(beginOf([of(288, 100), of(288, 200)])).toBe(99);
  expect(beginOf([of(288, 0)])).toBe(0);
  expect(beginOf([of(288, 287)])).toBe(264);
  expect(beginOf([of(10, 9)])).toBe(0);
  expect(beginOf([])).toBe(0);
});
