import { describe, expect, test } from 'vitest';
import { isAnimatedPng } from './animated-png.js';
import { BytesInMemory, concat } from './bytes.js';

const SIGNATURE = Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a);

/** Source: PNG, third edition, 5.3 (chunk layout): length, type, data and a checksum, which isn't looked at. */
function chunk(type: string, data = new Uint8Array()): Uint8Array {
  const out = new Uint8Array(12 + data.length);
  new DataView(out.buffer).setUint32(0, data.length);
  out.set(new TextEncoder().encode(type), 4);
  out.set(data, 8);
  return out;
}
const frames = (count: number) => Uint8Array.of(0, 0, 0, count, 0, 0, 0, 0);
const header = chunk('IHDR', new Uint8Array(13));
const isAnimated = (...parts: Uint8Array[]) => isAnimatedPng(new BytesInMemory(concat(parts)));

describe('a PNG', () => {
  test.each([
    ['of two frames', [chunk('acTL', frames(2)), chunk('IDAT')], true],
    ['that states one frame', [chunk('acTL', frames(1)), chunk('IDAT')], false],
    [
      'whose control chunk comes after texts',
      [chunk('tEXt', new Uint8Array(301)), chunk('acTL', frames(9))],
      true,
    ],
    ['whose control chunk comes after the picture', [chunk('IDAT'), chunk('acTL', frames(2))], false],
    ['without a control chunk', [chunk('IDAT', new Uint8Array(40)), chunk('IEND')], false],
    ['that ends before its picture', [chunk('tEXt')], false],
    [
      'with a chunk that is longer than the file',
      [chunk('tEXt').fill(0xff, 0, 4), chunk('acTL', frames(2))],
      false,
    ],
  ])('%s', (_, parts, expected) => {
    expect(isAnimated(SIGNATURE, header, ...parts)).toBe(expected);
  });

  test('is looked at for a thousand chunks', () => {
    const texts = (count: number) => Array.from({ length: count }, () => chunk('tEXt'));
    expect(isAnimated(SIGNATURE, header, ...texts(998), chunk('acTL', frames(2)))).toBe(true);
    expect(isAnimated(SIGNATURE, header, ...texts(999), chunk('acTL', frames(2)))).toBe(false);
  });

  test('cut off anywhere is no animation, or is one', () => {
    const whole = concat([SIGNATURE, header, chunk('acTL', frames(2)), chunk('IDAT')]);
    const control = SIGNATURE.length + header.length;
    for (let length = 0; length <= whole.length; length += 1)
      expect([length, isAnimatedPng(new BytesInMemory(whole.subarray(0, length)))]).toEqual([
        length,
        length >= control + 12,
      ]);
  });
});

test('what only looks like one is none', () => {
  expect(
    isAnimated(
      SIGNATURE.map((byte, at) => (at === 7 ? 0 : byte)),
      header,
      chunk('acTL', frames(2)),
    ),
  ).toBe(false);
  expect(isAnimated(SIGNATURE)).toBe(false);
});
