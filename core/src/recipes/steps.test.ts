import { expect, test } from 'vitest';
import { usesFocal } from './digest.js';
import { unmadeState } from './recipe.js';
import { STEP_KINDS, STEP_OPS } from './step-fields.js';
import { isSourceStep, isToneStep, type Step, splitSource, watermarkPictures } from './steps.js';

const stepOf = (op: (typeof STEP_OPS)[number]) => ({ op, ...STEP_KINDS[op].starts }) as Step;

test('tones are what changes colours alone, and source steps what chooses a picture', () => {
  expect(STEP_OPS.filter((op) => isToneStep(stepOf(op))).sort()).toEqual([
    ...['brightness', 'contrast', 'greyscale', 'saturation', 'sepia', 'tint'],
  ]);
  expect(STEP_OPS.filter((op) => isSourceStep(stepOf(op))).sort()).toEqual(['moment', 'page', 'wave']);
});

test.each<[Step, boolean]>([
  [{ op: 'fit', mode: 'cover', width: 9, height: 9 }, true],
  [{ op: 'fit', mode: 'cover', width: 9, height: 9, around: 'focal' }, true],
  [{ op: 'fit', mode: 'cover', width: 9, height: 9, around: 'centre' }, false],
  [{ op: 'fit', mode: 'inside', width: 9 }, false],
  [{ op: 'crop', width: 9, height: 9 }, true],
  [{ op: 'crop', aspect: '1:1', around: 'centre' }, false],
  [{ op: 'crop', width: 9, height: 9, left: 0, top: 0 }, false],
  [{ op: 'flip', axis: 'horizontal' }, false],
])('the focal point matters to %j: %j', (step, expected) => {
  expect(usesFocal({ steps: [step] })).toBe(expected);
  expect(usesFocal({ steps: [{ op: 'sepia' }, step] })).toBe(expected);
  expect(usesFocal({ steps: [step, { op: 'sepia' }] })).toBe(expected);
});

test('a chain is what follows its source step, where it has one', () => {
  const page: Step = { op: 'page', page: 2 };
  const sepia: Step = { op: 'sepia' };
  expect(splitSource([page, sepia])).toEqual({ source: page, chain: [sepia] });
  expect(splitSource([sepia])).toEqual({ source: null, chain: [sepia] });
  expect(splitSource([])).toEqual({ source: null, chain: [] });
});

test('watermarks are pictures, not words', () => {
  expect(
    watermarkPictures([
      { op: 'watermark', picture: '/a.svg' },
      { op: 'watermark', words: 'x' },
      { op: 'sepia' },
      { op: 'watermark', picture: '/b.svg' },
    ]),
  ).toEqual(['/a.svg', '/b.svg']);
});

test('what is not created yet is due, or waits for a request', () => {
  expect((['background', 'at-once', 'on-request'] as const).map(unmadeState)).toEqual([
    'due',
    'due',
    'on-request',
  ]);
});
