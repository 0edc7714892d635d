import fc from 'fast-check';
import { expect, test } from 'vitest';
import type { StoredReference } from './document-queries.js';
import { compareReferences, type KnownReference } from './reference-changes.js';

const reference = (address: string, more: Partial<StoredReference> = {}): StoredReference => ({
  ...{ position: 0, attribute: 'img src', address, state: 'outside', reason: null, place: null },
  ...{ assetId: null, recipe: null, variant: null, ...more },
});
const row = (id: number, address: string, more: Partial<StoredReference> = {}): KnownReference => ({
  ...reference(address, more),
  id,
});
const INDEXED = { isRewritten: false };
const REWRITTEN = { isRewritten: true };

test('rows that are as they were are not written', () => {
  const known = [row(1, '/a'), row(2, '/b', { position: 9, assetId: 4, state: 'found' })];
  const found = [reference('/b', { position: 9, assetId: 4, state: 'found' }), reference('/a')];
  expect(compareReferences(known, found, INDEXED)).toEqual({ kept: [], added: [], removed: [] });
});

test.each<[string, Partial<StoredReference>]>([
  ['position', { position: 3 }],
  ['state', { state: 'broken' }],
  ['reason', { reason: 'unknown' }],
  ['place', { place: 'f00' }],
  ['asset', { assetId: 7 }],
  ['recipe', { recipe: 'wide' }],
  ['variant', { variant: '300w.webp' }],
])('a row keeps its id when only its %s is another', (_, more) => {
  expect(compareReferences([row(5, '/a')], [reference('/a', more)], INDEXED)).toEqual({
    ...{ kept: [row(5, '/a', more)], added: [], removed: [] },
  });
});

test('the same address in another attribute is another reference', () => {
  const other = reference('/a', { attribute: 'a href' });
  expect(compareReferences([row(5, '/a')], [other], INDEXED)).toEqual({
    ...{ kept: [], added: [other], removed: [5] },
  });
});

test('an address that occurs twice and then once keeps its first row', () => {
  expect(compareReferences([row(1, '/a'), row(2, '/a')], [reference('/a')], INDEXED)).toEqual({
    ...{ kept: [], added: [], removed: [2] },
  });
});

test('only after a rewrite does a row get another address', () => {
  const known = [row(1, '/a'), row(2, '/old'), row(3, '/older')];
  const found = [reference('/new'), reference('/a'), reference('/newer')];
  expect(compareReferences(known, found, INDEXED)).toEqual({
    ...{ kept: [], added: [found[0], found[2]], removed: [2, 3] },
  });
  expect(compareReferences(known, found, REWRITTEN)).toEqual({
    ...{ kept: [row(2, '/new'), row(3, '/newer')], added: [], removed: [] },
  });
  expect(compareReferences(known.slice(0, 2), found, REWRITTEN)).toEqual({
    ...{ kept: [row(2, '/new')], added: [found[2]], removed: [] },
  });
  expect(compareReferences(known, found.slice(0, 2), REWRITTEN)).toEqual({
    ...{ kept: [row(2, '/new')], added: [], removed: [3] },
  });
});

test('carried out, the changes make exactly what was found, with each row at most once', () => {
  const some = fc.record({
    address: fc.constantFrom('/a', '/b', '/c'),
    attribute: fc.constantFrom('img src', 'a href'),
    position: fc.nat(3),
    assetId: fc.option(fc.nat(2), { nil: null }),
  });
  const list = fc.array(
    some.map((one) => reference(one.address, one)),
    { maxLength: 12 },
  );
  fc.assert(
    fc.property(list, list, fc.boolean(), (before, found, isRewritten) => {
      const known = before.map((one, n) => ({ ...one, id: n + 1 }));
      const { kept, added, removed } = compareReferences(known, found, { isRewritten });
      const rows = new Map(known.map(({ id, ...one }) => [id, one]));
      for (const id of removed) expect(rows.delete(id)).toBe(true);
      for (const { id, ...one } of kept) {
        expect(rows.has(id)).toBe(true);
        rows.set(id, one);
      }
      expect(new Set(kept.map(({ id }) => id)).size).toBe(kept.length);
      const sorted = (all: readonly StoredReference[]) => all.map((one) => JSON.stringify(one)).sort();
      expect(sorted([...rows.values(), ...added])).toEqual(sorted(found));
    }),
  );
});
