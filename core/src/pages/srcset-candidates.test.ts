import { expect, test } from 'vitest';
import { srcsetCandidates } from './srcset-candidates.js';

/**
 * Source: WHATWG HTML, "parse a srcset attribute"; the cases are those by which the algorithm's steps can be told apart,
 * among them the ones that the standard's own text and notes name.
 */
test.each<[string, [string, string][]]>([
  ['', []],
  [',', []],
  [' , , ', []],
  ['a.jpg', [['a.jpg', '']]],
  ['a.jpg 1x', [['a.jpg', '1x']]],
  [
    'a.jpg 1x, b.jpg 2x',
    [
      ['a.jpg', '1x'],
      ['b.jpg', '2x'],
    ],
  ],
  ['a.jpg,b.jpg', [['a.jpg,b.jpg', '']]],
  [
    'a.jpg, b.jpg',
    [
      ['a.jpg', ''],
      ['b.jpg', ''],
    ],
  ],
  [
    'a.jpg ,b.jpg',
    [
      ['a.jpg', ''],
      ['b.jpg', ''],
    ],
  ],
  [
    'a.jpg,, b.jpg 2x',
    [
      ['a.jpg', ''],
      ['b.jpg', '2x'],
    ],
  ],
  [
    'a.jpg 1x,b.jpg 2x',
    [
      ['a.jpg', '1x'],
      ['b.jpg', '2x'],
    ],
  ],
  [',,a.jpg', [['a.jpg', '']]],
  [
    'a.jpg 640w 480h, b.jpg',
    [
      ['a.jpg', '640w 480h'],
      ['b.jpg', ''],
    ],
  ],
  [
    'a.jpg (x, y), b.jpg',
    [
      ['a.jpg', '(x, y)'],
      ['b.jpg', ''],
    ],
  ],
  ['a.jpg (x, b.jpg', [['a.jpg', '(x, b.jpg']]],
  [
    'a.jpg x) y, b.jpg',
    [
      ['a.jpg', 'x) y'],
      ['b.jpg', ''],
    ],
  ],
  ['data:,a 1x', [['data:,a', '1x']]],
  [
    'data:,a, b.jpg',
    [
      ['data:,a', ''],
      ['b.jpg', ''],
    ],
  ],
  [
    '\t\n\f\r a.jpg\t1x\n,\r b.jpg\f2x ',
    [
      ['a.jpg', '1x'],
      ['b.jpg', '2x'],
    ],
  ],
  ['a.jpg\u00a01x', [['a.jpg\u00a01x', '']]],
  [
    'a.jpg 1x 2x nonsense, b.jpg',
    [
      ['a.jpg', '1x 2x nonsense'],
      ['b.jpg', ''],
    ],
  ],
])('%j', (text, expected) => {
  expect(
    srcsetCandidates(text).map(({ from, to, descriptor }) => [text.slice(from, to), descriptor]),
  ).toEqual(expected);
});

test('a long one takes time by its length', () => {
  const text = `${'a.jpg '.repeat(400_000)},`;
  expect(srcsetCandidates(text)).toHaveLength(1);
  expect(srcsetCandidates('a.jpg 1x,'.repeat(200_000))).toHaveLength(200_000);
});
