import { describe, expect, test } from 'vitest';
import {
  allWatermarks,
  canonicalJson,
  contentText,
  describeChanges,
  explainDifference,
  explainState,
  focalText,
  usesFocal,
} from './digest.js';
import type { RecipeContent } from './recipe.js';

const content = (width: number, more: Partial<RecipeContent> = {}): RecipeContent => ({
  steps: [{ op: 'fit', mode: 'inside', width }],
  output: { format: 'jpeg', quality: 80, metadata: 'none' },
  ...more,
});
const origin = { revision: 1, content: 'a', version: 1, sha256: 's', focal: null, marks: null };

test('equal contents have equal texts, in whatever order they were written', () => {
  expect(canonicalJson({ b: 1, a: [{ d: undefined, c: null }] })).toBe('{"a":[{"c":null}],"b":1}');
  expect(contentText(content(1))).toBe(
    contentText({
      output: { metadata: 'none', quality: 80, format: 'jpeg' },
      steps: [{ width: 1, mode: 'inside', op: 'fit' }],
    }),
  );
  expect(contentText(content(1))).not.toBe(contentText(content(2)));
});

test('changes are told step by step', () => {
  expect(describeChanges(content(300), content(500))).toEqual(['step 1: width 300 → 500']);
  expect(
    describeChanges(content(300), {
      steps: [{ op: 'crop', aspect: '1:1' }, { op: 'sepia' }],
      output: { format: 'webp', quality: 75, metadata: 'none' },
      ladder: { widths: [1] },
    }),
  ).toEqual([
    'step 1 is crop instead of fit',
    'step 2 added (sepia)',
    'format jpeg → webp',
    'quality 80 → 75',
    'a ladder was added',
  ]);
  expect(describeChanges(content(1), content(1))).toEqual([]);
});

describe('explaining', () => {
  test('names everything that differs', () => {
    const now = { revision: 2, content: 'b', version: 3, sha256: 't', focal: { x: 0.1, y: 0.2 }, marks: 'm' };
    expect(explainDifference(origin, now, ['quality 80 → 75']).map(({ message }) => message)).toEqual([
      'It was created by revision 1 of the recipe; the current revision is 2 (quality 80 → 75).',
      'It was created from version 1; the current version is 3.',
      'The focal point moved from the middle to 10 %, 20 %.',
      'The picture of its watermark has changed.',
    ]);
    expect(explainDifference(origin, { ...origin, revision: 9 })).toEqual([]);
  });

  test.each([
    ['due', null, 'background', 'never-made'],
    ['on-request', null, 'on-request', 'not-asked'],
    ['not-applicable', 'it has 1 page', 'background', 'does-not-apply'],
    ['failed', 'why', 'background', 'failed'],
    ['surplus', null, null, 'recipe-removed'],
    ['surplus', null, 'background', 'does-not-apply'],
    ['fresh', null, 'background', 'fresh'],
    ['outdated', null, 'background', 'recipe-changed'],
  ] as const)('%s', (state, error, when, code) => {
    expect(explainState(state, { error, when, isVariant: false, differences: [] })[0]?.code).toBe(code);
  });
});

test('a step that is gone, and a ladder that is another, are told', () => {
  const two: RecipeContent = { ...content(1), steps: [...content(1).steps, { op: 'sepia' }] };
  expect(describeChanges(two, content(1))).toEqual(['step 2 removed (sepia)']);
  expect(describeChanges(content(1, { ladder: { widths: [1] } }), content(1))).toEqual([
    'the ladder was removed',
  ]);
  expect(
    describeChanges(content(1, { ladder: { widths: [1] } }), content(1, { ladder: { widths: [2] } })),
  ).toEqual(['other widths']);
  const flagged = (enlarge?: boolean): RecipeContent => ({
    ...content(1),
    steps: [{ op: 'fit', mode: 'inside', width: 1, ...(enlarge !== undefined && { enlarge }) }],
  });
  expect(describeChanges(flagged(), flagged(true))).toEqual(['step 1: enlarge none → true']);
});

test('only what embeds metadata depends on how it is embedded', () => {
  const embedding = (metadata: 'none' | 'rights' | 'all') =>
    'embedding' in JSON.parse(contentText(content(1, { output: { format: 'jpeg', quality: 80, metadata } })));
  expect([embedding('none'), embedding('rights'), embedding('all')]).toEqual([false, true, true]);
});

test('what is known of a state is said, and what is not has words of its own', () => {
  const say = (state: 'failed' | 'not-applicable' | 'outdated' | 'surplus', more = {}) =>
    explainState(state, { error: null, when: 'background', isVariant: false, differences: [], ...more });
  expect(say('failed', { error: 'it broke off' })[0]?.message).toBe('it broke off');
  expect(say('failed')[0]?.message).toMatch(/could not be created/);
  expect(say('not-applicable', { error: 'it has 1 page' })[0]?.message).toBe('it has 1 page');
  expect(say('not-applicable')[0]?.message).toMatch(/does not apply/);
  const differences = [{ code: 'focal-moved', message: 'It moved.' }];
  expect(say('outdated', { differences })).toEqual(differences);
  expect(say('outdated')[0]?.message).toMatch(/full rebuild/);
  expect(say('surplus', { isVariant: true })[0]?.code).toBe('size-removed');
  expect(explainDifference({ ...origin, content: 'b' }, origin)[0]?.message).toMatch(/earlier version/);
  expect(
    explainDifference({ ...origin, content: 'b', revision: 1 }, { ...origin, revision: 2 })[0]?.message,
  ).toBe('It was created by revision 1 of the recipe; the current revision is 2.');
});

test('the watermarks of recipes are listed once each', () => {
  const marked = (picture: string): RecipeContent => ({
    ...content(1),
    steps: [{ op: 'watermark', picture }],
  });
  expect(allWatermarks([marked('/a'), marked('/b'), marked('/a'), content(1)])).toEqual(['/a', '/b']);
});

test('the focal point matters to what is cut around it, and to nothing else', () => {
  expect(usesFocal({ steps: [{ op: 'fit', mode: 'cover', width: 1, height: 1 }] })).toBe(true);
  expect(usesFocal({ steps: [{ op: 'fit', mode: 'cover', width: 1, height: 1, around: 'centre' }] })).toBe(
    false,
  );
  expect(usesFocal({ steps: [{ op: 'crop', left: 0, top: 0, width: 1, height: 1 }] })).toBe(false);
  expect(usesFocal({ steps: [{ op: 'fit', mode: 'contain', width: 1, height: 1 }] })).toBe(false);
  expect(usesFocal({ steps: [{ op: 'crop', width: 1, height: 1 }] })).toBe(true);
  expect(usesFocal({ steps: [{ op: 'sepia' }] })).toBe(false);
  expect(usesFocal(content(1))).toBe(false);
  expect(focalText({ x: 0.5, y: 1 / 3 })).toBe('0.5000,0.3333');
});
