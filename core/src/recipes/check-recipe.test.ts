import { describe, expect, test } from 'vitest';
import { checkContent, checkSteps } from './check-recipe.js';
import { STEP_KINDS, STEP_OPS } from './step-fields.js';

const output = { format: 'jpeg', quality: 80, metadata: 'none' } as const;

test.each(STEP_OPS)('a %s as the console adds it is sound', (op) => {
  expect(checkSteps([{ op, ...STEP_KINDS[op].starts }])).toEqual([]);
});

test.each<[string, unknown, string, RegExp]>([
  ['an unknown step', { op: 'fitt' }, 'steps.0.op', /Did you mean "fit"/],
  ['a step that every object has', { op: 'toString' }, 'steps.0.op', /Unknown step "toString"/],
  [
    'a setting that every object has',
    { op: 'blur', radius: 1, constructor: 1 },
    'steps.0.constructor',
    /no setting/,
  ],
  ['an unknown setting', { op: 'blur', radius: 1, radiuss: 2 }, 'steps.0.radiuss', /Did you mean "radius"/],
  ['a missing setting', { op: 'blur' }, 'steps.0.radius', /Radius is missing/],
  ['a value out of range', { op: 'pixelate', size: 1 }, 'steps.0.size', /from 2 to 1000 px/],
  ['half a pixel', { op: 'fit', mode: 'inside', width: 10.5 }, 'steps.0.width', /whole number/],
  ['a text for a number', { op: 'brightness', amount: '2' }, 'steps.0.amount', /number from 0 to 4/],
  ['too much', { op: 'brightness', amount: 4.01 }, 'steps.0.amount', /^[^w]*number from 0 to 4\.$/],
  ['too little', { op: 'brightness', amount: -0.01 }, 'steps.0.amount', /number from 0 to 4/],
  ['a pixel too many', { op: 'pixelate', size: 1001 }, 'steps.0.size', /whole number from 2 to 1000 px/],
  ['no number', { op: 'brightness', amount: Number.NaN }, 'steps.0.amount', /number from 0 to 4/],
  ['a choice that is none', { op: 'flip', axis: 'diagonal' }, 'steps.0.axis', /one of horizontal, vertical/],
  ['a colour by name', { op: 'tint', colour: 'red' }, 'steps.0.colour', /#8a3a25/],
  ['a fit without a size', { op: 'fit', mode: 'inside' }, 'steps.0.width', /width, a height, or both/],
  [
    'a cover without a box',
    { op: 'fit', mode: 'cover', width: 9 },
    'steps.0.height',
    /needs a width and a height/,
  ],
  ['a crop of two kinds', { op: 'crop', aspect: '1:1', width: 9 }, 'steps.0.aspect', /not both/],
  ['a crop without anything', { op: 'crop' }, 'steps.0.aspect', /an aspect ratio, or a width and a height/],
  ['a crop of one side', { op: 'crop', width: 9 }, 'steps.0.aspect', /a width and a height/],
  ['a crop of the other side', { op: 'crop', height: 9 }, 'steps.0.aspect', /a width and a height/],
  ['an aspect with the other side', { op: 'crop', aspect: '1:1', height: 9 }, 'steps.0.aspect', /not both/],
  [
    'an aspect with edges',
    { op: 'crop', aspect: '1:1', left: 1, top: 1 },
    'steps.0.left',
    /remove left and top/,
  ],
  ['a contain without a box', { op: 'fit', mode: 'contain', height: 9 }, 'steps.0.width', /needs a width/],
  ['a crop with the other edge', { op: 'crop', width: 9, height: 9, top: 1 }, 'steps.0.left', /left and top/],
  ['a crop with one edge', { op: 'crop', width: 9, height: 9, left: 1 }, 'steps.0.left', /left and top/],
  ['more than all', { op: 'crop', width: 120, height: 9, unit: 'percent' }, 'steps.0.width', /100 percent/],
  ['an aspect of nothing', { op: 'crop', aspect: '16:0' }, 'steps.0.aspect', /like 16:9/],
  [
    'a watermark of two kinds',
    { op: 'watermark', words: 'a', picture: '/a' },
    'steps.0.picture',
    /either a picture or text/,
  ],
  ['a text for a step', 'sepia', 'steps.0', /an object/],
  [
    'a word for a flag',
    { op: 'fit', mode: 'inside', width: 9, enlarge: 'yes' },
    'steps.0.enlarge',
    /Enlarge small ones is true or false/,
  ],
  ['blank words', { op: 'watermark', words: '  ' }, 'steps.0.words', /Words have 1 to 200 characters/],
  ['too many words', { op: 'watermark', words: 'x'.repeat(201) }, 'steps.0.words', /1 to 200 characters/],
  ['a number for words', { op: 'watermark', words: 7 }, 'steps.0.words', /1 to 200 characters/],
  ['a picture without a path', { op: 'watermark', picture: 'a.svg' }, 'steps.0.picture', /path of a picture/],
  ['a picture that is the root', { op: 'watermark', picture: '/' }, 'steps.0.picture', /path of a picture/],
])('%s is told at its place', (_what, step, field, message) => {
  const [fault] = checkSteps([step]);
  expect(fault?.field).toBe(field);
  expect(fault?.message).toMatch(message);
});

test.each([
  { op: 'fit', mode: 'inside', width: 9, enlarge: true },
  { op: 'fit', mode: 'inside', width: 9, enlarge: false },
  { op: 'brightness', amount: 0 },
  { op: 'brightness', amount: 4 },
  { op: 'brightness', amount: 0.5 },
  { op: 'pixelate', size: 2 },
  { op: 'pixelate', size: 1000 },
  { op: 'watermark', words: 'x'.repeat(200) },
  { op: 'watermark', picture: '/a' },
  { op: 'fit', mode: 'fill', height: 9 },
  { op: 'fit', mode: 'cover', width: 9, height: 9 },
  { op: 'crop', width: 100, height: 100, unit: 'percent' },
  { op: 'crop', width: 120, height: 9 },
])('%j is a step', (step) => {
  expect(checkSteps([step])).toEqual([]);
});

describe('what goes together', () => {
  test('a step that gets the picture is the first', () => {
    expect(checkSteps([{ op: 'sepia' }, { op: 'page' }])).toMatchObject([
      { field: 'steps.1.op', code: 'not-first' },
    ]);
  });

  test('a chain has an end', () => {
    expect(checkSteps(Array.from({ length: 21 }, () => ({ op: 'sepia' })))).toMatchObject([
      { code: 'too-many' },
    ]);
    expect(checkSteps({ op: 'sepia' })).toMatchObject([{ field: 'steps' }]);
  });

  test('a target needs a format with a quality, and there is only one', () => {
    const faultsOf = (more: object) =>
      checkContent({ steps: [], output: { ...output, ...more } }).map(({ field }) => field);
    expect(faultsOf({ maxBytes: 9000 })).toEqual([]);
    expect(faultsOf({ maxBytes: 9000, likeness: 0.9 })).toEqual(['output.maxBytes']);
    expect(faultsOf({ format: 'gif', maxBytes: 9000 })).toEqual(['output.format']);
    expect(faultsOf({ format: 'png', likeness: 0.9 })).toEqual(['output.format']);
  });

  test.each([
    [{ widths: [] }, 'ladder.widths'],
    [{ widths: [500, 500] }, 'ladder.widths'],
    [{ widths: [0.5] }, 'ladder.widths'],
    [{ from: 0 }, 'ladder.from'],
    [{ from: 300, stepBytes: 10 }, 'ladder.stepBytes'],
    [{ from: 300, most: 1 }, 'ladder.most'],
  ])('a ladder of %j is refused', (ladder, field) => {
    expect(checkContent({ steps: [], output, ladder }).map((one) => one.field)).toEqual([field]);
  });
});
