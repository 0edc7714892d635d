import fc from 'fast-check';
import { expect, test } from 'vitest';
import { dayNumber, facetsOf, indexedWords, ratioKey, sizeClass, sizeClassFloor } from './facets.js';

const ASSET = {
  name: 'fog-signal_03.jpg',
  kind: 'image' as const,
  mime: 'image/jpeg',
  bytes: 2_000_000,
  width: 1600,
  height: 1067,
  title: 'Fog at the signal',
  alt: null,
  caption: null,
  credit: 'Edda Farrow',
  keywords: ['Fog', 'fog'],
  capturedAt: '2025-05-01T23:59:59.999Z',
  createdAt: '2026-01-01T00:00:00.000Z',
  store: 'server',
};

test('a size class begins at its floor, for every size', () => {
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 2 ** 45 }), (bytes) => {
      const floor = sizeClassFloor(sizeClass(bytes));
      expect(floor).toBeLessThanOrEqual(bytes);
      expect(sizeClass(floor)).toBe(sizeClass(bytes));
      if (floor > 0) expect(sizeClass(floor - 1)).toBeLessThan(sizeClass(bytes));
    }),
  );
});

test('each class of sizes has the smallest size that is in it, or in one above where none is', () => {
  const largest = sizeClass(2 ** 45);
  for (let number = 0; number <= largest; number += 1) {
    const floor = sizeClassFloor(number);
    expect(sizeClass(floor)).toBeGreaterThanOrEqual(number);
    if (floor > 0) expect(sizeClass(floor - 1)).toBeLessThan(number);
  }
  for (let bytes = 0; bytes < 5000; bytes += 1)
    expect(sizeClass(sizeClassFloor(sizeClass(bytes)))).toBe(sizeClass(bytes));
});

test('an asset is counted once under each thing', () => {
  const facets = facetsOf(ASSET);
  const names = facets.map(({ scope, name }) => `${scope}:${name}`);
  expect(new Set(names).size).toBe(names.length);
  expect(names).toEqual(
    expect.arrayContaining([
      'kind:image',
      'width:1600',
      'ratio:1500',
      'keyword:fog',
      'missing:alt',
      'missing:caption',
      'copy:server',
      'word:signal',
      `captured:${dayNumber('2025-05-01T00:00:00Z')}`,
    ]),
  );
  expect(names).not.toContain('missing:title');
});

test("what an asset doesn't have is counted as missing, and under nothing else", () => {
  const bare = {
    ...ASSET,
    title: null,
    alt: null,
    caption: null,
    credit: null,
    keywords: [],
    capturedAt: null,
    store: null,
  };
  const facets = facetsOf(bare);
  const of = (scope: string) => facets.filter((facet) => facet.scope === scope).map(({ name }) => name);
  expect(of('missing').sort()).toEqual(['alt', 'caption', 'captured', 'credit', 'keyword', 'title']);
  for (const scope of ['captured', 'credit', 'copy', 'keyword']) expect(of(scope)).toEqual([]);
  const full = facetsOf({ ...ASSET, alt: 'A light', caption: 'At dusk', credit: 'Edda', keywords: ['fog'] });
  expect(full.filter(({ scope }) => scope === 'missing')).toEqual([]);
  expect(full.filter(({ scope }) => scope === 'credit').map(({ name }) => name)).toEqual(['Edda']);
});

test('words are cut as the full-text index cuts them', () => {
  expect(indexedWords('The fog-signal_03.jpg of Ørsvåg, at 5')).toEqual([
    'the',
    'fog',
    'signal_03',
    'jpg',
    'ørsvåg',
  ]);
});

test('a day is counted from 1970, and a ratio is in thousandths', () => {
  expect(['1969-12-31T23:59:59.999Z', '1970-01-02T23:59:59.999Z'].map(dayNumber)).toEqual([-1, 1]);
  expect([ratioKey(1600, 1067), ratioKey(1, 1), ratioKey(9, 16)]).toEqual([1500, 1000, 563]);
});
