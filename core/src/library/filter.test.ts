import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { recipeFilterField } from '../recipes/filter-field.js';
import type { Filter } from './filter.js';
import { completeFilter } from './filter-complete.js';
import { LIBRARY_FIELDS } from './filter-fields.js';
import { parseFilter } from './filter-parse.js';
import { editDistance, nearestWord } from './nearest.js';

const FIELDS = [...LIBRARY_FIELDS, recipeFilterField];
const NOW = Date.UTC(2026, 4, 20, 12);
const parse = (text: string) => parseFilter(text, NOW, [recipeFilterField]);
const filterOf = (text: string): Filter | null => {
  const result = parse(text);
  if (!result.ok) throw new Error(`${result.error.message} at ${result.error.position}`);
  return result.filter;
};
const conditionOf = (text: string) => {
  const filter = filterOf(text);
  return filter?.op === 'is' ? filter.condition : filter;
};
const errorOf = (text: string) => {
  const result = parse(text);
  if (result.ok) throw new Error(`Expected an error of ${text}`);
  return result.error;
};

describe('a filter', () => {
  test('that is empty asks nothing', () => {
    expect(filterOf('  ')).toBeNull();
  });

  test('joins what stands side by side, and binds "or" weaker and "not" stronger', () => {
    expect(filterOf('kind:image fog or not alt:none')).toEqual({
      op: 'or',
      filters: [
        {
          op: 'and',
          filters: [
            { op: 'is', condition: { field: 'kind', values: ['image'] } },
            { op: 'is', condition: { field: 'words', text: 'fog', isPhrase: false } },
          ],
        },
        {
          op: 'not',
          filter: { op: 'is', condition: { field: 'alt', isFilled: false, contains: null } },
        },
      ],
    });
  });

  test('joins by "and" as well, however often it is written, and not before the first condition', () => {
    expect(filterOf('storm and fog')).toEqual(filterOf('storm fog'));
    expect(filterOf('storm AND and fog and')).toEqual(filterOf('storm fog'));
    expect(filterOf('storm and fog or lamp')).toEqual(filterOf('(storm fog) or lamp'));
    for (const text of ['and', 'and fog', 'storm or and fog', '(and fog)'])
      expect(errorOf(text)).toMatchObject({ position: text.indexOf('and'), length: 3 });
  });

  test('is grouped by parentheses and kept together by quotes', () => {
    expect(filterOf('(storm or fog) "turning lamp"')).toMatchObject({
      op: 'and',
      filters: [
        { op: 'or' },
        { op: 'is', condition: { field: 'words', text: 'turning lamp', isPhrase: true } },
      ],
    });
  });

  test.each([
    ['kind:image,video', { field: 'kind', values: ['image', 'video'] }],
    ['type:JPEG', { field: 'type', mimes: ['image/jpeg'] }],
    ['type:image/*', { field: 'type', mimes: ['image/*'] }],
    ['folder:lights/gannet/', { field: 'folder', path: '/lights/gannet' }],
    ['folder:"/night watch"', { field: 'folder', path: '/night watch' }],
    ['size>2mb', { field: 'size', min: 2_000_000, max: null, isMinOpen: true, isMaxOpen: false }],
    [
      'size:100kb..1.5mb',
      { field: 'size', min: 100_000, max: 1_500_000, isMinOpen: false, isMaxOpen: false },
    ],
    ['width<=1600px', { field: 'width', min: null, max: 1600, isMinOpen: false, isMaxOpen: false }],
    ['height:..400', { field: 'height', min: null, max: 400, isMinOpen: false, isMaxOpen: false }],
    ['alt:none', { field: 'alt', isFilled: false, contains: null }],
    ['caption:any', { field: 'caption', isFilled: true, contains: null }],
    ['credit:"Edda Farrow"', { field: 'credit', isFilled: true, contains: 'Edda Farrow' }],
    ['title:"none"', { field: 'title', isFilled: true, contains: 'none' }],
    ['keyword:storm', { field: 'keyword', isFilled: true, contains: 'storm' }],
    ['duplicate:yes', { field: 'duplicate', value: true }],
    ['sha256:9F86D081', { field: 'sha256', prefix: '9f86d081' }],
    [`sha256:${'a'.repeat(64)}`, { field: 'sha256', prefix: 'a'.repeat(64) }],
    ['recipe:wide', { field: 'plugged', name: 'recipe', value: { name: 'wide', state: null } }],
    ['recipe:wide=failed', { field: 'plugged', name: 'recipe', value: { name: 'wide', state: 'failed' } }],
    ['near:1204', { field: 'near', id: '1204', distance: 6 }],
    ['near:1204,9', { field: 'near', id: '1204', distance: 9 }],
    ['captured:none', { field: 'captured', span: null }],
  ])('reads %s', (text, condition) => {
    expect(conditionOf(text)).toEqual(condition);
  });

  test.each([
    ['captured:2025', '2025-01-01', '2026-01-01'],
    ['captured:2025-12', '2025-12-01', '2026-01-01'],
    ['captured:2024-02-29', '2024-02-29', '2024-03-01'],
    ['captured:2025-05..2025-09', '2025-05-01', '2025-10-01'],
    ['captured:2025..', '2025-01-01', null],
    ['captured>2025', '2026-01-01', null],
    ['captured>=2025-03', '2025-03-01', null],
    ['captured<2025-03', null, '2025-03-01'],
    ['captured<=2025-03', null, '2025-04-01'],
    ['captured:today', '2026-05-20', '2026-05-21'],
  ])('%s runs from %s until %s', (text, from, until) => {
    const iso = (day: string | null) => day && `${day}T00:00:00.000Z`;
    expect(conditionOf(text)).toEqual({ field: 'captured', span: { from: iso(from), until: iso(until) } });
  });

  test('counts days back from now', () => {
    expect(conditionOf('added:7d')).toMatchObject({ span: { from: '2026-05-13T12:00:00.000Z' } });
    expect(conditionOf('updated:7d')).toMatchObject({
      field: 'updated',
      span: { from: '2026-05-13T12:00:00.000Z' },
    });
  });

  test.each([
    // A 3:2 sensor gives 6000 × 4000, and a picture of 1600 px from it is 1067 high.
    ['ratio:3:2', 1600 / 1067],
    ['ratio:square', 1],
    ['ratio:landscape', 1.5],
    ['ratio:portrait', 0.66],
  ])('%s takes a ratio of %d', (text, ratio) => {
    const span = conditionOf(text) as { min: number | null; max: number | null };
    expect(span.min === null || ratio >= span.min).toBe(true);
    expect(span.max === null || ratio <= span.max).toBe(true);
  });
});

describe('an error of a filter', () => {
  test.each([
    ['knd:image', 0, 4, 'kind:image'],
    ['fog kind:imgae', 9, 5, 'fog kind:image'],
    ['kind:image,vidoe', 5, 11, 'kind:image,video'],
    ['size>big', 5, 3, 'size>2mb'],
    ['size:3mb..1mb', 5, 8, 'size:1mb..3mb'],
    ['captured:2025-13', 9, 7, 'captured:2025-09'],
    ['captured:2025-02-30', 9, 10, 'captured:2025-09'],
    ['alt>none', 0, 8, 'alt:none'],
    ['sha256:abc', 7, 3, null],
    ['sha256:nothexatall', 7, 11, null],
    [`sha256:${'a'.repeat(65)}`, 7, 65, null],
    ['recipe:wide=frsh', 7, 9, 'recipe:wide=fresh'],
    ['near:12,40', 5, 5, 'near:12,11'],
    ['kind:', 0, 5, 'kind:image'],
    ['(fog', 0, 1, 'fog'],
    ['fog)', 3, 1, 'fog'],
    ['fog or', 4, 2, 'fog '],
    ['or fog', 0, 2, ' fog'],
    ['()', 1, 1, '('],
    ['not', 0, 3, ''],
  ])('in %s says where it is and what would do', (text, position, length, suggestion) => {
    expect(errorOf(text)).toMatchObject({ position, length, suggestion });
  });

  test('says whether a condition is missing, or one side of "or"', () => {
    expect(errorOf('or fog').message).toBe('"or" needs a condition on both sides');
    expect(errorOf('fog or or lamp').message).toBe('"or" needs a condition on both sides');
    expect(errorOf('fog or').message).toBe('a condition is missing here');
    expect(errorOf('()').message).toBe('a condition is missing here');
  });

  test('in a word with a colon that is like no field proposes quotes', () => {
    expect(errorOf('http://skerry.example').message).toContain('quotes');
  });

  test('comes for a filter that nobody wrote', () => {
    expect(errorOf(`${'('.repeat(30)}fog${')'.repeat(30)}`).message).toContain('nested');
    expect(parse(`${'('.repeat(20)}fog${')'.repeat(20)}`).ok).toBe(true);
    for (const deep of ['not '.repeat(20), 'not '.repeat(15) + '('.repeat(5)])
      expect(errorOf(`${deep}(fog${')'.repeat(21)}`).message).toContain('nested');
    expect(errorOf('fog '.repeat(61)).message).toContain('60');
  });
});

describe('any text at all', () => {
  const piece = fc.constantFrom(
    ...FIELDS.map(({ example }) => example),
    'fog',
    '(',
    ')',
    'or',
    'not',
    '"',
    'size>',
    '..',
    'x:y',
    '>',
  );
  test('is read or refused with a place inside of it, and never throws', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.array(piece).map((parts) => parts.join(' ')),
        ),
        (text) => {
          const result = parse(text);
          if (result.ok) return;
          expect(result.error.position).toBeGreaterThanOrEqual(0);
          expect(result.error.position + result.error.length).toBeLessThanOrEqual(text.length);
        },
      ),
      { numRuns: 500 },
    );
  });

  test("each field's example is read", () => {
    for (const { example } of FIELDS) expect(parse(example).ok, example).toBe(true);
  });

  test('each suggestion can be read, or is nearer to it', () => {
    for (const text of ['knd:image', 'kind:imgae', 'size>big', 'size:3mb..1mb', '(fog'])
      expect(parse(errorOf(text).suggestion ?? '').ok, text).toBe(true);
  });
});

describe('completion', () => {
  const vocabulary = {
    folders: ['/', '/lights', '/lights/gannet', '/night watch'],
    recipes: ['wide', 'sheet'],
    stores: ['server'],
    keywords: ['storm', 'still water', 'Water line', 'sea wall'],
    credits: ['Edda Farrow'],
    types: ['image/jpeg'],
  };
  const complete = (text: string, caret = text.length) =>
    completeFilter(text, caret, vocabulary, [recipeFilterField]);

  test('proposes fields for a word that was begun, and puts the caret behind the colon', () => {
    expect(complete('fog ca')).toMatchObject([
      { label: 'caption:', text: 'fog caption:', caret: 12 },
      { label: 'captured:', text: 'fog captured:' },
    ]);
  });

  test('proposes what the library holds, quoted where it has spaces', () => {
    expect(complete('folder:nig')).toMatchObject([{ text: 'folder:"/night watch" ', caret: 22 }]);
    expect(complete('keyword:st').map(({ label }) => label)).toEqual(['storm', 'still water']);
    expect(complete('keyword:WA').map(({ label }) => label)).toEqual([
      'Water line',
      'still water',
      'sea wall',
    ]);
    expect(complete('keyword:all').map(({ label }) => label)).toEqual(['sea wall']);
    expect(complete('recipe:wide=f').map(({ label }) => label)).toEqual(['wide=fresh', 'wide=failed']);
  });

  test('keeps what stands after the caret', () => {
    expect(complete('kind:im alt:none', 7)).toMatchObject([{ text: 'kind:image alt:none', caret: 10 }]);
  });

  test('proposes nothing after a space, in quotes, after a bracket or for a whole value', () => {
    for (const text of ['', 'kind:image ', '"ki', '(', 'kind:image', 'none:a'])
      expect(complete(text)).toEqual([]);
  });
});

describe('the nearest word', () => {
  // Values of the optimal string alignment distance, worked out by hand.
  test.each([
    ['', 'abc', 3],
    ['imgae', 'image', 1],
    ['kitten', 'sitting', 3],
    ['ca', 'abc', 3],
  ])('%j and %j are %d edits apart', (a, b, distance) => {
    expect(editDistance(a, b)).toBe(distance);
    expect(editDistance(b, a)).toBe(distance);
  });

  test('is none when all are far', () => {
    expect(nearestWord('zzzzzz', ['kind', 'size'])).toBeNull();
    // Half of a short word is another word.
    expect(nearestWord('in', ['kind'])).toBeNull();
    expect(nearestWord('iz', ['size'])).toBeNull();
  });
});
