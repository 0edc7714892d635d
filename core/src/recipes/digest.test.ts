import { describe, expect, test } from 'vitest';
import {
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
