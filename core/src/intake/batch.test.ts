import fc from 'fast-check';
import { expect, test } from 'vitest';
import { chunkBatch } from './batch.js';
import { formatBytes, formatCount } from './format.js';

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
