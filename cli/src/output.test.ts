import { expect, test } from 'vitest';
import { progressLine, table } from './output.js';

test.each([
  [0, 146, '░'.repeat(24), '0 of 146'],
  [73, 146, '█'.repeat(12) + '░'.repeat(12), '73 of 146'],
  [146, 146, '█'.repeat(24), '146 of 146'],
  [0, 0, '█'.repeat(24), '0 of 0'],
  [12_000, 30_000, '█'.repeat(10) + '░'.repeat(14), '12,000 of 30,000'],
])('%d of %d is a bar of as many parts', (done, total, bar, count) => {
  expect(progressLine(done, total, null, null)).toBe(`${bar} ${count}`);
});

test('rate and time left stand in the line once they are known', () => {
  expect(progressLine(1, 2, 18, 2)).toContain('1 of 2, 18/s, 2 s left');
});

test('columns are as wide as their widest cell, and no line ends in blanks', () => {
  expect(
    table([
      ['dusk.jpg', '1800 × 1200', 'accepted'],
      ['a.png', '', ''],
    ]),
  ).toEqual(['dusk.jpg  1800 × 1200  accepted', 'a.png']);
  expect(table([])).toEqual([]);
});
