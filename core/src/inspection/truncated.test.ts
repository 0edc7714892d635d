import fc from 'fast-check';
import { expect, test } from 'vitest';
import { BytesInMemory } from './bytes.js';
import { isTruncated } from './truncated.js';

const bytesOf = (...parts: (string | number[])[]) =>
  Uint8Array.from(
    parts.flatMap((part) => (typeof part === 'string' ? [...part].map((one) => one.charCodeAt(0)) : part)),
  );
const truncated = (bytes: Uint8Array, mime: string) => isTruncated(new BytesInMemory(bytes), mime);

/** A comment, a scan with a stuffed byte and a restart, and the end. Source: ITU-T T.81, B.1. */
const JPEG = bytesOf(
  [0xff, 0xd8, 0xff, 0xfe, 0, 6],
  'dusk',
  [0xff, 0xda, 0, 4, 1, 2, 9, 8, 0xff, 0, 7, 0xff, 0xd0, 6, 0xff, 0xd9],
);
const chunk = (type: string, data: number[]) => bytesOf([0, 0, 0, data.length], type, data, [1, 2, 3, 4]);
const PNG = bytesOf(
  '\x89PNG\r\n\x1a\n',
  [...chunk('IHDR', [1, 2, 3])],
  [...chunk('IDAT', [5, 6, 7, 8])],
  [...[0, 0, 0, 0], ...bytesOf('IEND', [0xae, 0x42, 0x60, 0x82])],
);
/** One frame without colour tables. Source: GIF89a. */
const GIF = bytesOf('GIF89a', [1, 0, 1, 0, 0, 0, 0, 0x2c, 0, 0, 0, 0, 1, 0, 1, 0, 0, 2, 2, 7, 7, 0, 0x3b]);
const PICTURES = [
  ['image/jpeg', JPEG],
  ['image/png', PNG],
  ['image/gif', GIF],
] as const;

test.each(PICTURES)('a whole %s is whole, also with more behind its end', (mime, bytes) => {
  expect(truncated(bytes, mime)).toBe(false);
  for (const more of [[0], [0, 0, 0, 0], [...JPEG], [...bytesOf('a film follows')]])
    expect(truncated(bytesOf([...bytes], more), mime)).toBe(false);
});

test.each(PICTURES)('a %s that ends within its picture is truncated, wherever it ends', (mime, bytes) => {
  const begin = { 'image/jpeg': 12, 'image/png': 30, 'image/gif': 14 }[mime];
  // A trailer byte is the end of a GIF, and a marker that of a JPEG, whatever was to follow.
  fc.assert(
    fc.property(fc.integer({ min: begin, max: bytes.length - 1 }), (length) => {
      expect(truncated(bytes.subarray(0, length), mime)).toBe(true);
    }),
  );
});

test('what is shorter than the end of its type is truncated, or broken', () => {
  for (const [mime, whole] of PICTURES)
    for (let length = 0; length < 12; length += 1) {
      const source = new BytesInMemory(whole.subarray(0, length));
      expect([mime, length, isTruncated(source, mime)]).toEqual([mime, length, true]);
    }
});

test('the end of a preview is not that of the picture', () => {
  const preview = bytesOf([0xff, 0xd8, 0xff, 0xd9]);
  const jpeg = bytesOf([0xff, 0xd8, 0xff, 0xe1, 0, 6], [...preview], [0xff, 0xda, 0, 4, 1, 2, 9, 8]);
  expect(truncated(jpeg, 'image/jpeg')).toBe(true);
});

test('what is broken otherwise, or of another type, is not called truncated', () => {
  expect(truncated(bytesOf([0xff, 0xd8, 0x12, 0x34, 5, 6]), 'image/jpeg')).toBe(false);
  expect(truncated(bytesOf('GIF89a', [1, 0, 1, 0, 0, 0, 0, 0x99, 0x99]), 'image/gif')).toBe(false);
  expect(truncated(bytesOf('RIFF....WEBP'), 'image/webp')).toBe(false);
  expect(truncated(new Uint8Array(), 'image/tiff')).toBe(false);
});
