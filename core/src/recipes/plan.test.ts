import { describe, expect, test } from 'vitest';
import { changesOutput, outputMime, recipeApplies } from './applies.js';
import { planRenditions } from './plan.js';
import type { Recipe } from './recipe.js';
import type { FitStep } from './steps.js';

const recipe = (name: string, step: Partial<FitStep>, output: Partial<Recipe['output']> = {}): Recipe => ({
  name,
  title: name,
  kinds: ['image'],
  folders: [],
  when: 'background',
  steps: [{ op: 'fit', mode: 'inside', ...step }],
  output: { format: 'jpeg', quality: 80, metadata: 'none', ...output },
  revision: 1,
});

const source = { width: 4000, height: 3000, mime: 'image/jpeg' };
const from = (plan: ReturnType<typeof planRenditions>) =>
  Object.fromEntries(plan.renditions.map((one) => [one.recipe.name, one.from]));

describe('planRenditions', () => {
  test('decodes once to the largest size, and derives the rest', () => {
    const plan = planRenditions(source, [
      recipe('wide', { width: 1600 }),
      recipe('column', { width: 1000 }),
      recipe('tile', { width: 240, height: 240, mode: 'cover' }),
    ]);
    expect(plan.base).toEqual({ width: 1600, height: 1200 });
    expect(from(plan)).toEqual({ wide: 'base', column: 'base', tile: 'base' });
    expect(plan.renditions[2]).toMatchObject({
      region: { left: 200, top: 0, width: 1200, height: 1200 },
      size: { width: 240, height: 240 },
    });
  });

  test('makes one of nearly the same size from the source: a second resampling would show', () => {
    const plan = planRenditions(source, [recipe('a', { width: 1600 }), recipe('b', { width: 1500 })]);
    expect(from(plan)).toEqual({ a: 'base', b: 'source' });
  });

  test('needs no base for one rendition', () => {
    expect(planRenditions(source, [recipe('a', { width: 1600 })]).base).toBeNull();
  });

  // Common practice, no source: a ladder of 1000/750/500 leaves a 700-wide picture with the 500 only.
  test('never enlarges: of a ladder 1000/750/500 a 700-wide picture gets its own size twice and the 500', () => {
    const plan = planRenditions({ width: 700, height: 500, mime: 'image/jpeg' }, [
      recipe('a', { width: 1000 }),
      recipe('b', { width: 750 }),
      recipe('c', { width: 500 }),
    ]);
    expect(plan.renditions.map(({ size }) => size.width)).toEqual([700, 700, 500]);
  });
});

test('keep keeps what browsers show, and turns the rest into what they do', () => {
  const keep = recipe('a', { width: 1 }, { format: 'keep' });
  expect(
    ['image/jpeg', 'image/png', 'image/webp', 'image/avif', 'image/tiff', 'image/gif', 'image/svg+xml'].map(
      (mime) => outputMime(keep, mime),
    ),
  ).toEqual(['image/jpeg', 'image/png', 'image/webp', 'image/avif', 'image/jpeg', 'image/gif', 'image/png']);
});

test('a recipe applies by kind, by folder, and only to what can be decoded', () => {
  const inLights = { ...recipe('a', { width: 1 }), folders: ['/lights'] };
  const subject = { kind: 'image' as const, mime: 'image/jpeg', folder: '/lights/gannet' };
  expect(recipeApplies(inLights, subject)).toBe(true);
  expect(recipeApplies(inLights, { ...subject, folder: '/lights-old' })).toBe(false);
  expect(recipeApplies(inLights, { ...subject, kind: 'vector', mime: 'image/svg+xml' })).toBe(false);
  expect(recipeApplies(inLights, { ...subject, mime: 'image/x-icon' })).toBe(false);
});

// Common practice, no source: changing a size from 300 to 500 leaves every file made before outdated.
test('another size changes the output, another title does not', () => {
  const before = recipe('a', { width: 300 });
  expect(changesOutput(before, recipe('a', { width: 500 }))).toBe(true);
  const renamed: Recipe = { ...before, title: 'Another' };
  expect(changesOutput(before, renamed)).toBe(false);
});
