import Ajv from 'ajv/dist/2020.js';
import { describe, expect, test } from 'vitest';
import { checkSteps } from './check-recipe.js';
import { exportRecipes, planImport, recipesSchema, stepSchema } from './portable.js';
import type { Recipe } from './recipe.js';
import { STEP_KINDS, STEP_OPS } from './step-fields.js';

const recipe = (name: string, more: Partial<Recipe> = {}): Recipe => ({
  name,
  title: name,
  kinds: ['image'],
  folders: [],
  when: 'background',
  steps: [{ op: 'fit', mode: 'inside', width: 100 }],
  output: { format: 'webp', quality: 80, metadata: 'none' },
  revision: 3,
  ...more,
});

test('an export is by name, and without what counts in one installation only', () => {
  const { format, version, recipes } = exportRecipes([
    recipe('b'),
    recipe('a', { ladder: { widths: [10] } }),
  ]);
  expect([format, version]).toEqual(['uniferum-recipes', 1]);
  expect(recipes.map(({ name }) => name)).toEqual(['a', 'b']);
  expect(recipes[0]).toHaveProperty('ladder');
  expect(recipes[1]).not.toHaveProperty('ladder');
  expect(recipes[0]).not.toHaveProperty('revision');
});

describe('an import', () => {
  const present = [recipe('wide'), recipe('tile')];
  const plan = (more: Partial<Recipe>) => planImport(present, exportRecipes([recipe('wide', more)]).recipes);

  test('makes what is not there, and changes nothing that is the same', () => {
    expect(
      planImport(present, exportRecipes([recipe('new'), recipe('tile', { revision: 9 })]).recipes),
    ).toEqual([
      { name: 'new', action: 'make', changes: [] },
      { name: 'tile', action: 'same', changes: [] },
    ]);
  });

  test.each<[Partial<Recipe>, string]>([
    [{ title: 'Other' }, 'a different title'],
    [{ kinds: ['vector'] }, 'different kinds of files'],
    [{ folders: ['/a'] }, 'different folders'],
    [{ when: 'at-once' }, 'created at a different time'],
  ])('%j is said', (more, words) => {
    expect(plan(more)).toEqual([{ name: 'wide', action: 'change', changes: [words] }]);
  });

  test('says what differs in the steps', () => {
    const [step] = plan({ steps: [{ op: 'fit', mode: 'inside', width: 200 }] });
    expect(step?.action).toBe('change');
    expect(step?.changes).toHaveLength(1);
    expect(step?.changes[0]).toContain('200');
  });
});

describe('the schema', () => {
  interface Property {
    type?: string;
    const?: string;
    enum?: string[];
    minimum?: number;
    default?: unknown;
    description?: string;
    pattern?: string;
    maxLength?: number;
  }
  const kinds = stepSchema().oneOf as {
    title: string;
    required: string[];
    properties: Record<string, Property>;
  }[];
  const of = (op: string) => kinds.find(({ properties }) => properties.op?.const === op);

  test('has every kind of step, with what each needs', () => {
    expect(kinds.map(({ properties }) => properties.op?.const)).toEqual([...STEP_OPS]);
    expect(of('fit')?.required).toEqual(expect.arrayContaining(['op', 'mode']));
    expect(of('greyscale')?.required).toEqual(['op']);
  });

  test('says of each field what it can be', () => {
    expect(of('page')?.properties.page).toMatchObject({ type: 'integer', minimum: 1, default: 1 });
    expect(of('page')?.properties.dpi?.description).toMatch(/, \w+$/);
    expect(of('page')?.properties.page?.description).not.toContain(',');
    expect(of('fit')?.properties.mode?.enum).toContain('cover');
    expect(of('fit')?.properties.enlarge).toMatchObject({ type: 'boolean' });
    expect(of('tint')?.properties.colour).toMatchObject({
      type: 'string',
      pattern: expect.stringContaining('#'),
    });
    expect(of('crop')?.properties.aspect).toMatchObject({
      type: 'string',
      pattern: expect.stringContaining(':'),
    });
    expect(of('watermark')?.properties.path ?? of('watermark')?.properties.picture).toMatchObject({
      pattern: '^/.',
    });
  });

  test('of a document names its address and refers to what it defines', () => {
    const schema = recipesSchema('https://x.example/recipes.json') as {
      $id: string;
      required: string[];
      $defs: Record<string, unknown>;
    };
    expect(schema.$id).toBe('https://x.example/recipes.json');
    expect(schema.required).toEqual(['format', 'version', 'recipes']);
    const text = JSON.stringify(schema);
    for (const [, name = ''] of text.matchAll(/#\/\$defs\/(\w+)/g)) expect(schema.$defs).toHaveProperty(name);
  });
});

// Source: JSON Schema 2020-12, as a validator of others understands it.
describe('by the schema', () => {
  const isValid = new Ajv.default().compile(recipesSchema('https://x.example/recipes.json'));
  const document = (more: object) => ({
    format: 'uniferum-recipes',
    version: 1,
    recipes: [{ name: 'wide', title: 'Wide', steps: [], ...more }],
  });

  test.each(STEP_OPS)('a %s as the console adds it is right, and a setting that it lacks is wrong', (op) => {
    const step = { op, ...STEP_KINDS[op].starts };
    expect(isValid(document({ steps: [step] }))).toBe(true);
    expect(isValid(document({ steps: [{ ...step, unheardOf: 1 }] }))).toBe(false);
  });

  test.each<[boolean, object]>([
    [true, {}],
    [false, { another: 1 }],
    [false, { title: '' }],
    [true, { title: 'x'.repeat(200) }],
    [false, { title: 'x'.repeat(201) }],
    [false, { name: 'Not a name' }],
    [true, { kinds: ['image', 'vector'] }],
    [false, { kinds: [] }],
    [false, { kinds: ['image', 'image'] }],
    [false, { kinds: ['poem'] }],
    [true, { folders: ['/a', '/b'] }],
    [false, { folders: ['/a', '/a'] }],
    [false, { folders: ['a'] }],
    [true, { when: 'on-request' }],
    [false, { when: 'later' }],
    [true, { steps: Array(20).fill({ op: 'sepia' }) }],
    [false, { steps: Array(21).fill({ op: 'sepia' }) }],
    [true, { output: { format: 'webp', quality: 1, maxBytes: 100, metadata: 'rights', colour: 'keep' } }],
    [true, { output: { likeness: 0.5, animation: 'first', also: ['avif'] } }],
    [false, { output: { format: 'doc' } }],
    [false, { output: { quality: 0 } }],
    [false, { output: { quality: 101 } }],
    [false, { output: { maxBytes: 99 } }],
    [false, { output: { metadata: 'some' } }],
    [false, { output: { colour: 'red' } }],
    [false, { output: { animation: 'last' } }],
    [false, { output: { also: ['avif', 'avif'] } }],
    [false, { output: { also: ['jpeg2000'] } }],
    [false, { output: { another: 1 } }],
    [true, { ladder: { widths: [1, 16_384] } }],
    [false, { ladder: { widths: [] } }],
    [false, { ladder: { widths: [5, 5] } }],
    [false, { ladder: { widths: [0] } }],
    [false, { ladder: { widths: [16_385] } }],
    [false, { ladder: { widths: Array.from({ length: 41 }, (_, n) => n + 1) } }],
    [true, { ladder: { from: 300, stepBytes: 500, most: 40 } }],
    [false, { ladder: { from: 300, stepBytes: 499 } }],
    [false, { ladder: { from: 300, most: 1 } }],
    [false, { ladder: { from: 300, most: 41 } }],
    [false, { ladder: { from: 300, another: 1 } }],
    [false, { ladder: { widths: [5], another: 1 } }],
    [false, { ladder: { most: 5 } }],
    [false, { ladder: {} }],
  ])('it is %s that a recipe may have %j', (isRight, more) => {
    expect(isValid(document(more))).toBe(isRight);
  });

  test.each<object>([
    {},
    { format: 'uniferum-recipes', version: 1 },
    { format: 'recipes', version: 1, recipes: [] },
    { format: 'uniferum-recipes', version: 2, recipes: [] },
    { format: 'uniferum-recipes', version: 1, recipes: [], another: 1 },
  ])('%j is no document of recipes', (one) => {
    expect(isValid(one)).toBe(false);
  });

  const VALUES = [
    '',
    ' ',
    'x',
    '/a',
    '16:9',
    '#8a3a25',
    'transparent',
    'top',
    0,
    -1,
    0.5,
    3,
    1e9,
    true,
    null,
    [],
  ];

  // What goes together is for the server to check; each value by itself is wrong by both or by none.
  test.each(STEP_OPS)('the values of a %s are right where the server says so', (op) => {
    for (const name of Object.keys(STEP_KINDS[op].fields))
      for (const value of VALUES) {
        const step = { op, ...STEP_KINDS[op].starts, [name]: value };
        const faults = checkSteps([step]);
        const isWrong = faults.some(({ code }) => code === 'value');
        if (isWrong || faults.length === 0)
          expect([step, isValid(document({ steps: [step] }))]).toEqual([step, !isWrong]);
      }
  });
});

test('defaults are stated where there are some', () => {
  const of = (op: string) =>
    (stepSchema().oneOf as { properties: Record<string, { const?: string }> }[]).find(
      ({ properties }) => properties.op?.const === op,
    )?.properties ?? {};
  for (const op of STEP_OPS)
    for (const [name, field] of Object.entries(STEP_KINDS[op].fields)) {
      const stated = 'default' in field ? field.default : undefined;
      expect(of(op)[name]).toMatchObject(stated === undefined ? {} : { default: stated });
      if (stated === undefined) expect(of(op)[name]).not.toHaveProperty('default');
    }
});
