import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { chunkBatch } from './batch.js';
import { formatBeyond, formatBytes, formatCount } from './format.js';

test('chunks keep every file, in its order, within the limits', () => {
  fc.assert(
    fc.property(fc.array(fc.nat(100)), (sizes) => {
      const files = sizes.map((bytes, index) => ({ bytes, index }));
      const chunks = chunkBatch(files, { files: 5, bytes: 120 });
      expect(chunks.flat()).toEqual(files);
      for (const chunk of chunks) {
        expect(chunk.length).toBeGreaterThan(0);
        expect(chunk.length).toBeLessThanOrEqual(5);
        const total = chunk.reduce((sum, { bytes }) => sum + bytes, 0);
        expect(chunk.length === 1 || total <= 120).toBe(true);
      }
    }),
  );
});

test.each([
  [0, '0 bytes'],
  [1, '1 byte'],
  [999, '999 bytes'],
  [999_600, '1 MB'],
  [266_000, '266 kB'],
  [6_214_000, '6.21 MB'],
  [1_500_000_000, '1.5 GB'],
])('formatBytes writes %i as %s', (bytes, text) => {
  expect(formatBytes(bytes)).toBe(text);
});

test('formatCount knows one and many', () => {
  expect([formatCount(1, 'file'), formatCount(12_000, 'file'), formatCount(2, 'copy', 'copies')]).toEqual([
    '1 file',
    '12,000 files',
    '2 copies',
  ]);
});

describe('a request', () => {
  const files = (...bytes: number[]) => bytes.map((one) => ({ bytes: one }));
  const sizes = (chunks: { bytes: number }[][]) => chunks.map((chunk) => chunk.map(({ bytes }) => bytes));
  const limits = { files: 2, bytes: 100 };

  test.each([
    ['as many files as it takes', [1, 1, 1, 1, 1], [[1, 1], [1, 1], [1]]],
    ['just as many bytes as it takes', [40, 60, 1], [[40, 60], [1]]],
    ['one byte more than it takes', [40, 61], [[40], [61]]],
    ['a file that is too large for any, alone', [500, 1], [[500], [1]]],
    ['nothing', [], []],
  ])('%s', (_what, bytes, chunks) => {
    expect(sizes(chunkBatch(files(...bytes), limits))).toEqual(chunks);
  });
});

test.each([
  [0, '0 bytes'],
  [999, '999 bytes'],
  [1000, '1 kB'],
  [999_499, '999 kB'],
  [999_500, '1 MB'],
  [1e15, '1000 TB'],
  [1.5e18, '1500000 TB'],
])('%d bytes are %s', (bytes, words) => {
  expect(formatBytes(bytes)).toBe(words);
});

test('a size beyond its limit never looks like it', () => {
  expect(formatBeyond(6_210_000, 1_000_000)).toEqual({ actual: '6.21 MB', allowed: '1 MB' });
  expect(formatBeyond(20_001, 20_000)).toEqual({ actual: '20,001 bytes', allowed: '20,000 bytes' });
});
