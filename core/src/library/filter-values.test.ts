import { describe, expect, test } from 'vitest';
import { readBytes, readNumberSpan, readPixels, readRatio, readTimeSpan } from './filter-values.js';
import { editDistance, nearestWord } from './nearest.js';

const NOW = Date.UTC(2026, 4, 20, 15, 30);

describe('one value', () => {
  test.each([
    ['800', 800],
    ['800b', 800],
    ['1k', 1000],
    ['1.5KB', 1500],
    ['2m', 2e6],
    ['2.25mb', 2_250_000],
    ['1g', 1e9],
    ['1.5gb', 1.5e9],
    ['0.0004kb', 0],
  ])('%s are %d bytes', (text, value) => {
    expect(readBytes(text)).toEqual({ value });
  });

  test.each(['', 'mb', '2tb', '2mb!', 'x2mb', '-2mb', '2.mb', '1.2.3', '2 mb'])('%j is no size', (text) => {
    expect(readBytes(text)).toEqual({
      message: expect.stringContaining(`"${text}" is not a size`),
      instead: '2mb',
    });
  });

  test.each([
    ['0', 0],
    ['1600', 1600],
    ['1600px', 1600],
    ['1600PX', 1600],
    ['123456789', 123_456_789],
  ])('%s are %d pixels', (text, value) => {
    expect(readPixels(text)).toEqual({ value });
  });

  test.each(['', 'px', 'x1600', '1600pxx', '1234567890', '16.5'])('%j are no pixels', (text) => {
    expect(readPixels(text)).toMatchObject({ instead: '1600' });
  });

  test.each([
    ['3:2', 1.5],
    ['30/20', 1.5],
    ['16x9', 16 / 9],
    ['2.35:1', 2.35],
    ['1:2.35', 1 / 2.35],
    ['12.25:12.5', 0.98],
    ['1.5', 1.5],
  ])('%s is a ratio', (text, value) => {
    const read = readRatio(text);
    expect('value' in read && read.value).toBeCloseTo(value, 10);
  });

  test.each(['', '0', '-1', '3:0', '0:2', '3:2:1', 'a3:2', '3:2b', '3.:2', '3:2.', 'wide', 'Infinity'])(
    '%j is no ratio',
    (text) => {
      expect(readRatio(text)).toMatchObject({ instead: '3:2' });
    },
  );
});

describe('a span of numbers', () => {
  const span = (min: number | null, max: number | null, isMinOpen = false, isMaxOpen = false) => ({
    value: { min, max, isMinOpen, isMaxOpen },
  });
  test.each([
    [':', '100', span(100, 100)],
    ['=', '100', span(100, 100)],
    ['>', '100', span(100, null, true)],
    ['>=', '100', span(100, null)],
    ['<', '100', span(null, 100, false, true)],
    ['<=', '100', span(null, 100)],
    [':', '100..200', span(100, 200)],
    ['=', '100..200', span(100, 200)],
    [':', '100..100', span(100, 100)],
    [':', '..200', span(null, 200)],
    [':', '100..', span(100, null)],
  ] as const)('%s%s', (operator, text, wanted) => {
    expect(readNumberSpan('width', operator, text)).toEqual(wanted);
  });

  test.each([
    [':', '200..100', '100..200'],
    [':', 'x..100', '1600'],
    [':', '100..x', '1600'],
    [':', '..', '1600'],
    ['>', '100..200', '1600'],
    [':', 'square', '1600'],
  ] as const)('%s%s is none', (operator, text, instead) => {
    expect(readNumberSpan('width', operator, text)).toMatchObject({ instead });
  });

  test('each field reads its own values', () => {
    expect(readNumberSpan('size', '>', '2mb')).toEqual(span(2e6, null, true));
    expect(readNumberSpan('height', ':', '10px')).toEqual(span(10, 10));
    expect(readNumberSpan('size', ':', '10px')).toHaveProperty('message');
  });

  test('a ratio is met within half a percent, and has words of its own', () => {
    const read = readNumberSpan('ratio', ':', '2:1');
    expect('value' in read && [read.value.min, read.value.max]).toEqual([1.99, expect.closeTo(2.01, 10)]);
    expect(readNumberSpan('ratio', '=', 'SQUARE')).toEqual(
      span(0.995, expect.closeTo(1.005, 10) as unknown as number),
    );
    expect(readNumberSpan('ratio', ':', 'landscape')).toEqual(span(1.005, null, true));
    expect(readNumberSpan('ratio', ':', 'portrait')).toEqual(span(null, 0.995, false, true));
    expect(readNumberSpan('ratio', '>', '2:1')).toEqual(span(2, null, true));
    expect(readNumberSpan('ratio', '>', 'square')).toHaveProperty('message');
    expect(readNumberSpan('ratio', ':', '1..2')).toEqual(span(1, 2));
  });
});

describe('a span of time', () => {
  const span = (from: string | null, until: string | null) => ({
    value: { from: from && `${from}T00:00:00.000Z`, until: until && `${until}T00:00:00.000Z` },
  });
  const read = (operator: Parameters<typeof readTimeSpan>[0], text: string) =>
    readTimeSpan(operator, text, NOW);
  test.each([
    [':', '2025', span('2025-01-01', '2026-01-01')],
    ['=', '2025-09', span('2025-09-01', '2025-10-01')],
    [':', '2025-12', span('2025-12-01', '2026-01-01')],
    [':', '2025-9-4', span('2025-09-04', '2025-09-05')],
    [':', '2024-02-29', span('2024-02-29', '2024-03-01')],
    [':', '1000', span('1000-01-01', '1001-01-01')],
    ['>', '2025', span('2026-01-01', null)],
    ['>=', '2025', span('2025-01-01', null)],
    ['<', '2025', span(null, '2025-01-01')],
    ['<=', '2025', span(null, '2026-01-01')],
    [':', 'today', span('2026-05-20', '2026-05-21')],
    [':', 'Yesterday', span('2026-05-19', '2026-05-20')],
    [':', '2025-05..2025-09', span('2025-05-01', '2025-10-01')],
    ['=', '2025..2025', span('2025-01-01', '2026-01-01')],
    [':', '..2025', span(null, '2026-01-01')],
    [':', '2025..', span('2025-01-01', null)],
  ] as const)('%s%s', (operator, text, wanted) => {
    expect(read(operator, text)).toEqual(wanted);
  });

  test.each([
    ['7d', 7],
    ['12345d', 12_345],
  ])('%s reaches back from now, and takes in what is dated a day ahead', (text, days) => {
    expect(read(':', text)).toEqual({
      value: {
        from: new Date(NOW - days * 86_400_000).toISOString(),
        until: new Date(NOW + 86_400_000).toISOString(),
      },
    });
  });

  test.each([
    [':', '0999'],
    [':', '2025-13'],
    [':', '2025-00'],
    [':', '2025-02-29'],
    [':', '2025-04-31'],
    [':', '2025-04-00'],
    [':', 'x2025'],
    [':', '2025x'],
    [':', '2025-05-05-05'],
    [':', '123456d'],
    [':', 'x7d'],
    [':', '7dx'],
    [':', '..'],
    [':', 'x..2025'],
    [':', '2025..x'],
    ['>', '2025..2026'],
  ] as const)('%s%s is none', (operator, text) => {
    expect(read(operator, text)).toMatchObject({ message: expect.any(String), instead: '2025-09' });
  });

  test('a range that ends before it begins is turned round', () => {
    expect(read(':', '2025-09..2025-05')).toMatchObject({ instead: '2025-05..2025-09' });
    expect(read(':', '2025..2024')).toMatchObject({ instead: '2024..2025' });
  });
});

describe('words that are near', () => {
  test.each([
    ['', '', 0],
    ['abc', 'abc', 0],
    ['abc', '', 3],
    ['', 'abc', 3],
    ['kitten', 'sitting', 3],
    ['abcd', 'acbd', 1],
    ['ab', 'ba', 1],
    ['a', 'b', 1],
    ['abc', 'xabc', 1],
    ['abcx', 'abc', 1],
    // Optimal string alignment: a swap is not edited again.
    ['ca', 'abc', 3],
  ])('from %j to %j are %d edits', (a, b, edits) => {
    expect(editDistance(a, b)).toBe(edits);
    expect(editDistance(b, a)).toBe(edits);
  });

  const words = ['kind', 'size', 'keyword', 'captured', 'alt'];
  test.each([
    ['ki', 'kind'],
    ['KEY', 'keyword'],
    ['knd', 'kind'],
    ['szie', 'size'],
    ['captrued', 'captured'],
    ['capturd', 'captured'],
    // One edit of a word of three letters is all that is let pass.
    ['alr', 'alt'],
    ['axx', null],
    ['k', null],
    ['wholly different', null],
  ])('%s means %s', (word, meant) => {
    expect(nearestWord(word, words)).toBe(meant);
  });

  test('the nearest of several', () => {
    expect(nearestWord('sizf', ['siza1', 'size'])).toBe('size');
  });
});
