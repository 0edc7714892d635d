import { describe, expect, test } from 'vitest';
import { exportRecipes, planImport, recipesSchema, stepSchema } from './portable.js';
import type { Recipe } from './recipe.js';
import { STEP_OPS } from './step-fields.js';

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
    [{ title: 'Other' }, 'another title'],
    [{ kinds: ['vector'] }, 'another kinds'],
    [{ folders: ['/a'] }, 'another folders'],
    [{ when: 'at-once' }, 'another time of making'],
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
