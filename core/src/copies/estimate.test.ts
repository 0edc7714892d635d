import { expect, test } from 'vitest';
import { estimatePlacing, measureSending } from './estimate.js';

const amount = { files: 2000, bytes: 5_000_000_000 };

test('the time is that of the bytes or of the requests, whichever takes longer', () => {
  const rate = { bytesPerSecond: 10_000_000, filesPerSecond: 100 };
  expect(estimatePlacing(amount, rate, null)).toEqual({ ...amount, seconds: 500, cost: null });
  expect(estimatePlacing({ files: 80_000, bytes: 1 }, rate, null).seconds).toBe(800);
  expect(estimatePlacing(amount, null, null).seconds).toBeNull();
});

test('the cost is what storing takes once, and keeping every month', () => {
  const prices = { gigabyteMonth: 0.02, thousandRequests: 0.005 };
  expect(estimatePlacing(amount, null, prices).cost).toEqual({ once: 0.01, perMonth: 0.1 });
});

test('sending is measured between files that were stored one after the other', () => {
  const at = (atMs: number, bytes = 1000) => ({ atMs, bytes });
  expect(measureSending([at(2000), at(0, 999_999), at(1000)])).toEqual({
    bytesPerSecond: 1000,
    filesPerSecond: 1,
  });
  // An hour without work is not slow work.
  expect(measureSending([at(0), at(500), at(3_600_000), at(3_600_500)])).toEqual({
    bytesPerSecond: 2000,
    filesPerSecond: 2,
  });
  expect(measureSending([at(0), at(10_000)])?.filesPerSecond).toBe(0.1);
  expect(measureSending([at(0), at(10_001)])).toBeNull();
});

test('nothing, one file, or files at one moment say nothing', () => {
  expect(measureSending([])).toBeNull();
  expect(measureSending([{ atMs: 5, bytes: 9 }])).toBeNull();
  expect(
    measureSending([
      { atMs: 5, bytes: 9 },
      { atMs: 5, bytes: 9 },
    ]),
  ).toBeNull();
  expect(
    measureSending([
      { atMs: 5, bytes: 0 },
      { atMs: 9, bytes: 0 },
    ]),
  ).toBeNull();
});
