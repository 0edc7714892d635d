import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { type BulkChange, type BulkSubject, fillPattern, planBulkChange } from './bulk-change.js';

const SUBJECT: BulkSubject = {
  name: 'gannet-head_at-dusk-03.jpg',
  folder: '/lights/gannet-head',
  title: 'Dusk',
  alt: null,
  caption: null,
  credit: null,
  keywords: ['sea'],
  capturedAt: '2025-06-01T12:00:00.000Z',
};
const plan = (change: BulkChange, subject: Partial<BulkSubject> = {}) =>
  planBulkChange({ ...SUBJECT, ...subject }, change);

describe('a bulk edit', () => {
  test.each<[string, BulkChange, object]>([
    ['sets', { set: { alt: 'A tower' } }, { alt: 'A tower' }],
    ['empties', { set: { title: null } }, { title: null }],
    [
      'appends',
      { append: { title: ' at sea', keywords: ['dusk', 'sea'] } },
      { title: 'Dusk at sea', keywords: ['sea', 'dusk'] },
    ],
    ['replaces', { replace: [{ field: 'title', find: 'us', with: 'aw' }] }, { title: 'Dawk' }],
    [
      'replaces in keywords',
      { replace: [{ field: 'keywords', find: 'sea', with: 'ocean' }] },
      { keywords: ['ocean'] },
    ],
    [
      'replaces in texts alone',
      {
        replace: [
          { field: 'title', find: 'sea', with: 'ocean' },
          { field: 'title', find: 'D', with: 'M' },
        ],
      },
      { title: 'Musk' },
    ],
    [
      'sets keywords, and adds to them',
      { set: { keywords: ['a'] }, append: { keywords: ['b'] } },
      { keywords: ['a', 'b'] },
    ],
    ['fills only what is empty', { fill: { title: 'No', alt: '{words}' } }, { alt: 'Gannet head at dusk' }],
    ['removes keywords', { removeKeywords: ['sea'] }, { keywords: [] }],
    ['shifts the capture date', { shiftMinutes: -90 }, { capturedAt: '2025-06-01T10:30:00.000Z' }],
    ['moves', { folder: '/news' }, { folder: '/news' }],
  ])('%s', (_what, change, after) => {
    expect(plan(change)).toMatchObject({ kind: 'changed', after });
    expect(Object.keys((plan(change) as { after: object }).after)).toEqual(Object.keys(after));
  });

  test.each<[BulkChange, Partial<BulkSubject>, string]>([
    [{ fill: { title: 'x' } }, {}, 'has-one'],
    [{ shiftMinutes: 60 }, { capturedAt: null }, 'no-date'],
    [{ shiftMinutes: 60 }, { capturedAt: '9999-12-31T23:30:00.000Z' }, 'date-limit'],
    [{ shiftMinutes: -60 }, { capturedAt: '1000-01-01T00:30:00.000Z' }, 'date-limit'],
    [{ set: { title: 'Dusk' } }, {}, 'same'],
    [{ append: { title: 'sk' } }, {}, 'same'],
    [{ replace: [{ field: 'keywords', find: '', with: 'x' }] }, {}, 'same'],
    [{ replace: [{ field: 'title', find: '', with: 'x' }] }, {}, 'same'],
    [{ replace: [{ field: 'title', find: 'sea', with: 'ocean' }] }, {}, 'same'],
    [{ fill: { keywords: ['fog'] } }, {}, 'has-one'],
    [{ removeKeywords: ['fog'] }, { keywords: [] }, 'same'],
  ])('%j of %j leaves it, and says why', (change, subject, reason) => {
    expect(plan(change, subject)).toEqual({ kind: 'unchanged', reason });
  });

  test('fills keywords where there are none', () => {
    const change = { fill: { keywords: ['fog', 'lamp', 'fog'] }, removeKeywords: ['lamp'] };
    expect(plan(change, { keywords: [] })).toMatchObject({ after: { keywords: ['fog'] } });
  });

  const text = fc.option(fc.string({ maxLength: 8 }), { nil: null });
  const subjects = fc.record({ title: text, alt: text, caption: text, credit: text });
  const changes = fc.record(
    {
      set: fc.record({ title: text }, { requiredKeys: [] }),
      append: fc.record({ alt: fc.string({ maxLength: 4 }) }, { requiredKeys: [] }),
      fill: fc.record({ caption: fc.constantFrom('{stem}', 'x', '{title}') }, { requiredKeys: [] }),
    },
    { requiredKeys: [] },
  );

  test('done twice does what it does once', () => {
    fc.assert(
      fc.property(subjects, changes, (subject, change) => {
        const clean = Object.fromEntries(Object.entries(subject).map(([key, value]) => [key, value || null]));
        const once = plan(change, clean);
        if (once.kind === 'changed') expect(plan(change, { ...clean, ...once.after }).kind).toBe('unchanged');
      }),
    );
  });

  test('can be taken back by what was before', () => {
    fc.assert(
      fc.property(subjects, changes, (subject, change) => {
        const clean = Object.fromEntries(Object.entries(subject).map(([key, value]) => [key, value || null]));
        const outcome = plan(change, clean);
        if (outcome.kind === 'changed')
          expect({ ...SUBJECT, ...clean, ...outcome.after, ...outcome.before }).toEqual({
            ...SUBJECT,
            ...clean,
          });
      }),
    );
  });
});

test.each([
  ['{words}', 'Gannet head at dusk'],
  ['{stem} in {folder}', 'gannet-head_at-dusk-03 in gannet-head'],
  ['{title}, {year}', 'Dusk, 2025'],
  ['{title}{unknown}', 'Dusk{unknown}'],
  ['{unknown}', '{unknown}'],
])('the pattern %s becomes %s', (pattern, expected) => {
  expect(fillPattern(pattern, SUBJECT)).toBe(expected);
});

test('a separator goes with what is not known', () => {
  expect(fillPattern('{words}, {year}', { ...SUBJECT, capturedAt: null })).toBe('Gannet head at dusk');
  expect(fillPattern('{title}: {words}', { ...SUBJECT, title: null })).toBe('Gannet head at dusk');
});
