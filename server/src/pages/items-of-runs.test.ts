import { expect, test } from 'vitest';
import { groupChanges } from './index-source.js';
import { bySource } from './rewrite.js';

// How the documents of a source are divided into the items of a run.

const document = (n: number, bytes: number | string) => ({ path: `${n}.html`, stamp: `${bytes}-${n}` });
const many = <Item>(count: number, make: (n: number) => Item) =>
  Array.from({ length: count }, (_, n) => make(n));
const weights = (groups: { weight: number }[]) => groups.map(({ weight }) => weight);

test.each([
  ['no documents', [], []],
  ['small ones, so many at a time', many(201, (n) => document(n, 20)), [100, 100, 1]],
  ['ones that fill an item exactly, and more', many(7, (n) => document(n, 1_000_000)), [3, 3, 1]],
  ['one that is larger than an item', [document(1, 9), document(2, 4_000_000), document(3, 9)], [1, 1, 1]],
  ['ones whose size is not known', many(101, (n) => ({ path: `/${n}`, stamp: 'W/"tag"' })), [100, 1]],
  ['ones that are gone', many(150, (n) => ({ gone: n })), [100, 50]],
])('an index run over %s', (_, changes, expected) => {
  const groups = groupChanges(changes);
  expect(weights(groups)).toEqual(expected);
  expect(groups.flatMap(({ some }) => some)).toEqual(changes);
});

test.each([
  ['documents with few references', many(201, () => ['1', 8]), [200, 1]],
  ['documents that fill an item exactly, and more', many(5, () => ['1', 1000]), [2, 2, 1]],
  [
    'a document with more than an item has',
    [
      ['1', 1],
      ['1', 5000],
      ['1', 1],
    ],
    [1, 1, 1],
  ],
  [
    'documents of several sources',
    [
      ['1', 1],
      ['1', 1],
      ['2', 1],
      ['1', 1],
    ],
    [3, 1],
  ],
] as [string, [string, number][], number[]][])('a rewrite of %s', (_, list, expected) => {
  const subjects = list.map(([source, references], n) => ({ source, path: `${n}`, references }));
  const groups = bySource(subjects);
  expect(weights(groups)).toEqual(expected);
  const sorted = (pairs: string[][]) => pairs.map((pair) => pair.join(' ')).sort();
  expect(sorted(groups.flatMap(({ source, paths }) => paths.map((path) => [source, path])))).toEqual(
    sorted(subjects.map(({ source, path }) => [source, path])),
  );
});
