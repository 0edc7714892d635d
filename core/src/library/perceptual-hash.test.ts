import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
  bandProbes,
  groupPairs,
  HASH_BITS,
  HASH_INPUT_SIDE,
  hashBands,
  hashDistance,
  perceptualHash,
} from './perceptual-hash.js';

const hashes = fc
  .bigInt({ min: 0n, max: 2n ** 64n - 1n })
  .map((value) => value.toString(16).padStart(16, '0'));
const flip = (hash: string, bits: readonly number[]) =>
  bits
    .reduce((value, bit) => value ^ (1n << BigInt(bit)), BigInt(`0x${hash}`))
    .toString(16)
    .padStart(16, '0');

describe('the distance of two hashes', () => {
  test('is how many bits were flipped, either way', () => {
    fc.assert(
      fc.property(hashes, fc.uniqueArray(fc.integer({ min: 0, max: HASH_BITS - 1 })), (hash, bits) => {
        const other = flip(hash, bits);
        expect(hashDistance(hash, other)).toBe(bits.length);
        expect(hashDistance(other, hash)).toBe(bits.length);
      }),
    );
  });
});

describe('bands', () => {
  test('put together are the hash', () => {
    fc.assert(
      fc.property(hashes, (hash) => {
        expect(
          hashBands(hash)
            .map((band) => band.toString(16).padStart(4, '0'))
            .join(''),
        ).toBe(hash);
      }),
    );
  });

  test('whatever lies within the distance agrees with a probe in at least one band', () => {
    fc.assert(
      fc.property(
        hashes,
        fc
          .integer({ min: 0, max: 11 })
          .chain((distance) =>
            fc.tuple(
              fc.constant(distance),
              fc.uniqueArray(fc.integer({ min: 0, max: HASH_BITS - 1 }), { maxLength: distance }),
            ),
          ),
        (hash, [distance, bits]) => {
          const probes = bandProbes(hash, distance);
          const bands = hashBands(flip(hash, bits));
          expect(bands.some((band, index) => probes[index]?.includes(band))).toBe(true);
        },
      ),
    );
  });

  test.each([
    [3, 1],
    [7, 17],
    [11, 137],
  ])('up to %d bits take %d probes a band, each once', (distance, count) => {
    // 1, 1 + 16, and 1 + 16 + 120 values within 0, 1 and 2 bits of one of 16.
    for (const probes of bandProbes('0123456789abcdef', distance)) {
      expect(probes).toHaveLength(count);
      expect(new Set(probes).size).toBe(count);
    }
  });
});

describe('a hash', () => {
  const grey = (at: (x: number, y: number) => number) =>
    Uint8Array.from({ length: HASH_INPUT_SIDE ** 2 }, (_, n) =>
      at(n % HASH_INPUT_SIDE, Math.floor(n / HASH_INPUT_SIDE)),
    );
  const scene = grey((x, y) => 90 + 60 * Math.sin(x / 4) + 50 * Math.cos(y / 5 + x / 9));

  test('does not change with brightness or contrast', () => {
    const brighter = scene.map((value) => value * 0.6 + 70);
    expect(hashDistance(perceptualHash(scene), perceptualHash(brighter))).toBeLessThanOrEqual(2);
  });

  test('of a mirrored picture is far from it', () => {
    const mirrored = grey((x, y) => scene[y * HASH_INPUT_SIDE + HASH_INPUT_SIDE - 1 - x] ?? 0);
    expect(hashDistance(perceptualHash(scene), perceptualHash(mirrored))).toBeGreaterThan(12);
  });

  test('is 16 digits, also of an even surface, and of nothing else than 32 by 32', () => {
    expect(perceptualHash(grey(() => 128))).toMatch(/^[0-9a-f]{16}$/);
    expect(() => perceptualHash(new Uint8Array(100))).toThrow('1024');
  });
});

test('pairs that are linked over others are one group', () => {
  const pair = (a: string, b: string) => ({ a, b, distance: 1 });
  expect(groupPairs([pair('1', '2'), pair('5', '6'), pair('2', '3'), pair('6', '4')])).toEqual([
    ['1', '2', '3'],
    ['5', '6', '4'],
  ]);
  expect(groupPairs([])).toEqual([]);
});
