import { KINDS } from '../library/kinds.js';
import { ASPECT } from './aspect.js';
import { canonicalJson, describeChanges } from './digest.js';
import { MAX_RUNGS } from './ladder.js';
import {
  ALTERNATIVE_FORMATS,
  MAX_STEPS,
  OUTPUT_FORMATS,
  RECIPE_NAME,
  RECIPE_TIMES,
  type Recipe,
} from './recipe.js';
import { COLOUR, MAX_SIDE_PX, STEP_KINDS, STEP_OPS, type StepField, type StepKind } from './step-fields.js';

export const RECIPES_FORMAT = 'uniferum-recipes';

/** A recipe as it travels: without its revision, which counts the edits of one installation. */
export type PortableRecipe = Omit<Recipe, 'revision'>;

/** All or some recipes of an installation as one JSON file. */
export interface RecipesDocument {
  format: typeof RECIPES_FORMAT;
  version: 1;
  recipes: PortableRecipe[];
}

/** Puts recipes into a document, by name, so that two exports can be compared line by line. */
export function exportRecipes(recipes: readonly Recipe[]): RecipesDocument {
  const portable = recipes.map(
    ({ name, title, kinds, folders, when, steps, output, ladder }): PortableRecipe => ({
      name,
      title,
      kinds,
      folders,
      when,
      steps,
      output,
      ...(ladder && { ladder }),
    }),
  );
  portable.sort((a, b) => (a.name < b.name ? -1 : 1));
  return { format: RECIPES_FORMAT, version: 1, recipes: portable };
}

/** What an import would do with one recipe. */
export interface ImportStep {
  name: string;
  action: 'make' | 'change' | 'same';
  /** What would differ, in a few words each. */
  changes: string[];
}

/** What differs in the settings around the steps, in words. */
const CHANGED = {
  title: 'a different title',
  kinds: 'different kinds of files',
  folders: 'different folders',
  when: 'created at a different time',
} as const;

/** Compares a document with the recipes that are there. Recipes that are not in the document stay as they are. */
export function planImport(present: readonly Recipe[], wanted: readonly PortableRecipe[]): ImportStep[] {
  return wanted.map((recipe) => {
    const own = present.find(({ name }) => name === recipe.name);
    if (!own) return { name: recipe.name, action: 'make', changes: [] };
    const { revision: _revision, ...portable } = own;
    const changes = describeChanges(own, recipe);
    for (const [key, words] of Object.entries(CHANGED) as [keyof typeof CHANGED, string][])
      if (canonicalJson(portable[key]) !== canonicalJson(recipe[key])) changes.push(words);
    return { name: recipe.name, action: changes.length > 0 ? 'change' : 'same', changes };
  });
}

/** The JSON Schema of one step. Source of the language: JSON Schema 2020-12. */
export function stepSchema(): Record<string, unknown> {
  return {
    oneOf: STEP_OPS.map((op) => ({ title: STEP_KINDS[op].title, ...kindSchema(op, STEP_KINDS[op]) })),
  };
}

/** The JSON Schema of a document of recipes. What goes together within one step is checked by the server as well. */
export function recipesSchema(id: string): Record<string, unknown> {
  const pixels = { type: 'integer', minimum: 1, maximum: MAX_SIDE_PX };
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    $id: id,
    title: 'Recipes of Uniferum',
    type: 'object',
    required: ['format', 'version', 'recipes'],
    additionalProperties: false,
    properties: {
      format: { const: RECIPES_FORMAT },
      version: { const: 1 },
      recipes: { type: 'array', items: { $ref: '#/$defs/recipe' } },
    },
    $defs: {
      recipe: {
        type: 'object',
        required: ['name', 'title', 'steps'],
        additionalProperties: false,
        properties: {
          name: { type: 'string', pattern: RECIPE_NAME.source },
          title: { type: 'string', minLength: 1, maxLength: 200 },
          kinds: { type: 'array', minItems: 1, uniqueItems: true, items: { enum: [...KINDS] } },
          folders: { type: 'array', uniqueItems: true, items: { type: 'string', pattern: '^/' } },
          when: { enum: [...RECIPE_TIMES] },
          steps: { type: 'array', maxItems: MAX_STEPS, items: { $ref: '#/$defs/step' } },
          output: { $ref: '#/$defs/output' },
          ladder: { $ref: '#/$defs/ladder' },
        },
      },
      output: {
        type: 'object',
        additionalProperties: false,
        properties: {
          format: { enum: [...OUTPUT_FORMATS] },
          quality: { type: 'integer', minimum: 1, maximum: 100 },
          maxBytes: { type: 'integer', minimum: 100 },
          likeness: { type: 'number', minimum: 0.5, maximum: 0.9999 },
          metadata: { enum: ['none', 'rights', 'all'] },
          colour: { enum: ['srgb', 'keep'] },
          animation: { enum: ['keep', 'first'] },
          also: { type: 'array', uniqueItems: true, items: { enum: [...ALTERNATIVE_FORMATS] } },
        },
      },
      ladder: {
        oneOf: [
          {
            type: 'object',
            required: ['widths'],
            additionalProperties: false,
            properties: {
              widths: { type: 'array', minItems: 1, maxItems: MAX_RUNGS, uniqueItems: true, items: pixels },
            },
          },
          {
            type: 'object',
            required: ['from'],
            additionalProperties: false,
            properties: {
              from: pixels,
              stepBytes: { type: 'integer', minimum: 500 },
              most: { type: 'integer', minimum: 2, maximum: MAX_RUNGS },
            },
          },
        ],
      },
      step: stepSchema(),
    },
  };
}

function kindSchema(op: string, { says, fields }: StepKind): Record<string, unknown> {
  const required = Object.entries(fields).flatMap(([name, field]) => (field.required ? [name] : []));
  return {
    type: 'object',
    description: says,
    required: ['op', ...required],
    additionalProperties: false,
    properties: {
      op: { const: op },
      ...Object.fromEntries(Object.entries(fields).map(([name, field]) => [name, fieldSchema(field)])),
    },
  };
}

function fieldSchema(field: StepField): Record<string, unknown> {
  const description = field.label;
  switch (field.kind) {
    case 'integer':
    case 'number':
      return {
        type: field.kind,
        minimum: field.min,
        maximum: field.max,
        description: field.unit ? `${description}, ${field.unit}` : description,
        ...(field.default !== undefined && { default: field.default }),
      };
    case 'choice':
      return { enum: [...field.options], description, ...(field.default && { default: field.default }) };
    case 'flag':
      return { type: 'boolean', description };
    case 'colour':
      return {
        type: 'string',
        pattern: COLOUR.source,
        description,
        ...(field.default && { default: field.default }),
      };
    case 'aspect':
      return { type: 'string', pattern: ASPECT.source, description };
    case 'words':
      return { type: 'string', pattern: '\\S', maxLength: field.max, description };
    case 'picture':
      return { type: 'string', pattern: '^/.', description };
  }
}
