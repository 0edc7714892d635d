import { describe, expect, test } from 'vitest';
import { canBeRendered, changesOutput, holdsAnimation, outputMime, recipeApplies } from './applies.js';
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

describe('what a plan decides', () => {
  const wide = recipe('wide', { width: 1600 });
  const withSteps = (name: string, ...steps: Recipe['steps']): Recipe => ({ ...recipe(name, {}), steps });

  test('a rendition of the same scale, or smaller by a fifth, is made from the base', () => {
    const made = (width: number) => from(planRenditions(source, [wide, recipe('b', { width })])).b;
    expect([made(1600), made(1599), made(1334), made(1333), made(4)]).toEqual([
      ...['base', 'base', 'source', 'base', 'base'],
    ]);
  });

  test('one larger in one direction decides how large the base is', () => {
    const plan = planRenditions(source, [wide, recipe('flat', { width: 2000, height: 300, mode: 'fill' })]);
    expect(plan.base).toEqual({ width: 2000, height: 1500 });
  });

  test('the base of a picture that is enlarged is the picture', () => {
    const large = { mode: 'inside', width: 8000, enlarge: true } as const;
    const plan = planRenditions(source, [recipe('a', large), wide]);
    expect(plan.base).toEqual({ width: 4000, height: 3000 });
    expect(from(plan)).toEqual({ a: 'source', wide: 'base' });
  });

  test('a part of it is a region, all of it is none', () => {
    const crop = (width: number, height: number): Recipe =>
      withSteps('part', { op: 'crop', left: 0, top: 0, width, height });
    const region = (one: Recipe) => planRenditions(source, [one]).renditions[0]?.region;
    expect(region(crop(4000, 3000))).toBeNull();
    expect(region(crop(3999, 3000))).toEqual({ left: 0, top: 0, width: 3999, height: 3000 });
    expect(region(crop(4000, 2999))).toEqual({ left: 0, top: 0, width: 4000, height: 2999 });
  });

  test('what is cut follows the focal point', () => {
    const square = withSteps('square', { op: 'crop', aspect: '1:1' });
    const leftOf = (focal?: { x: number; y: number }) =>
      planRenditions(source, [square], focal).renditions[0]?.region?.left;
    expect([leftOf(), leftOf({ x: 0, y: 0 }), leftOf({ x: 1, y: 0 })]).toEqual([500, 0, 1000]);
  });

  test("a step that can't be is a fault before anything is decoded, unless a trim comes before", () => {
    const beyond = { op: 'crop', left: 3500, top: 0, width: 9, height: 9 } as const;
    const half = { op: 'rotate', degrees: 90 } as const;
    const faultsOf = (one: Recipe) =>
      planRenditions(source, [one, wide]).faults.map(({ recipe: { name }, fault }) => [
        name,
        fault.code,
        fault.step,
      ]);
    expect(faultsOf(withSteps('a', half, beyond))).toEqual([['a', 'crop-outside', 1]]);
    expect(faultsOf(withSteps('a', { op: 'fit', mode: 'inside', width: 9 }, beyond))).toEqual([
      ['a', 'crop-outside', 1],
    ]);
    expect(faultsOf(withSteps('a', half, { op: 'trim' }, beyond))).toEqual([]);
    expect(faultsOf(withSteps('a', { op: 'sepia' }))).toEqual([]);
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

test.each([
  ['image', 'image/png', true],
  ['document', 'application/pdf', true],
  ['video', 'video/mp4', true],
  ['audio', 'audio/mpeg', true],
  ['document', 'text/plain', false],
  ['archive', 'application/zip', false],
] as const)('that a %s of type %s can be rendered is %s', (kind, mime, can) => {
  expect(canBeRendered({ kind, mime })).toBe(can);
});

test('a recipe for several folders applies in each of them', () => {
  const both: Recipe = { ...recipe('a', {}), folders: ['/a', '/b'] };
  const appliesIn = (folder: string) => recipeApplies(both, { kind: 'image', mime: 'image/png', folder });
  expect(['/a', '/b/c', '/c', '/'].map(appliesIn)).toEqual([true, true, false, false]);
});

test('frames of videos become photographs, drawings of sounds do not', () => {
  const keep = recipe('a', { width: 1 }, { format: 'keep' });
  expect(outputMime(keep, 'video/mp4')).toBe('image/jpeg');
  expect(outputMime(keep, 'audio/mpeg')).toBe('image/png');
  expect(outputMime(recipe('a', {}, { format: 'webp' }), 'image/png')).toBe('image/webp');
  expect(['image/gif', 'image/webp', 'image/png', 'image/avif'].map(holdsAnimation)).toEqual([
    true,
    true,
    false,
    false,
  ]);
});
