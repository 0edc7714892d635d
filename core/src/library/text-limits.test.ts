import fc from 'fast-check';
import { expect, test } from 'vitest';
import { findLongTexts, fitTexts, TEXT_LIMITS } from './text-limits.js';

const NO_TEXTS = { title: null, alt: null, caption: null, credit: null, keywords: [] };

test.each(['title', 'alt', 'caption', 'credit'] as const)(
  '%s is kept up to its limit, and cut one beyond it',
  (field) => {
    const limit = TEXT_LIMITS[field];
    const whole = { ...NO_TEXTS, [field]: 'x'.repeat(limit) };
    expect(fitTexts(whole)).toEqual({ texts: whole, shortened: [] });
    const long = { ...NO_TEXTS, [field]: 'x'.repeat(limit + 1) };
    expect(fitTexts(long)).toEqual({ texts: whole, shortened: [{ field, limit, actual: limit + 1 }] });
  },
);

test('of too many keywords the first are kept, of a long one its beginning', () => {
  const many = Array.from({ length: 201 }, (_, n) => `word${n}`);
  expect(fitTexts({ ...NO_TEXTS, keywords: many }).texts.keywords).toEqual(many.slice(0, 200));
  const long = fitTexts({ ...NO_TEXTS, keywords: ['y'.repeat(101), 'fog'] });
  expect(long.texts.keywords).toEqual(['y'.repeat(100), 'fog']);
  expect(long.shortened).toEqual([{ field: 'keywords', limit: 100, actual: 101 }]);
});

test('spaces at the end of what was cut go, and others stay', () => {
  const { texts } = fitTexts({ ...NO_TEXTS, title: ` ${'x'.repeat(490)}${' '.repeat(20)}y`, alt: ' a ' });
  expect(texts).toMatchObject({ title: ` ${'x'.repeat(490)}`, alt: ' a ' });
});

test('a character of two code units is not cut in half', () => {
  const title = `${'x'.repeat(499)}🌫🌫`;
  expect(fitTexts({ ...NO_TEXTS, title }).texts.title).toBe('x'.repeat(499));
});

test('whatever comes, what is kept fits, and fitting it again changes nothing', () => {
  const text = fc.option(fc.string({ maxLength: 6000, unit: 'grapheme' }), { nil: null });
  fc.assert(
    fc.property(
      text,
      text,
      fc.array(fc.string({ maxLength: 150 }), { maxLength: 250 }),
      (title, alt, keywords) => {
        const { texts } = fitTexts({ ...NO_TEXTS, title, alt, keywords });
        expect(findLongTexts(texts)).toEqual([]);
        expect(fitTexts(texts)).toEqual({ texts, shortened: [] });
      },
    ),
    { numRuns: 60 },
  );
});
