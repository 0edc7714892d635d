import {
  type FitStep,
  KINDS,
  OUTPUT_FORMATS,
  RECIPE_NAME,
  RENDITION_STATES,
  type Recipe,
} from '@uniferum/core';
import Joi from 'joi';
import { answerRun } from '../runs/answer.js';
import { runSchema } from '../runs/routes.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, component, folderPathSchema, idSchema, pageOf } from '../shared/schemas.js';
import {
  changeRecipe,
  makeRecipe,
  type Rebuild,
  readRecipe,
  readRecipes,
  rebuild,
  rehearseRebuild,
  removeRecipe,
} from './service.js';

const side = Joi.number().integer().min(1).max(16_384);

const stepSchema = Joi.object({
  op: Joi.string().valid('fit').required(),
  width: side.description('CSS pixels'),
  height: side.description('CSS pixels'),
  mode: Joi.string().valid('inside', 'cover').required(),
  enlarge: Joi.boolean(),
})
  .or('width', 'height')
  .custom((step: FitStep, helpers) =>
    step.mode === 'cover' && (step.width === undefined || step.height === undefined)
      ? helpers.message({ custom: '{{#label}} covers a box, so it needs width and height' })
      : step,
  );

const outputFields = {
  format: Joi.string().valid(...OUTPUT_FORMATS),
  quality: Joi.number().integer().min(1).max(100),
  metadata: Joi.string().valid('none', 'rights', 'all'),
};

const recipeInput = {
  title: Joi.string().trim().min(1).max(200).required(),
  kinds: Joi.array()
    .items(Joi.string().valid(...KINDS))
    .unique()
    .min(1)
    .default(['image']),
  folders: Joi.array().items(folderPathSchema).unique().default([]),
  when: Joi.string().valid('background', 'at-once').default('background'),
  steps: Joi.array().items(stepSchema).min(1).max(20).required(),
  output: Joi.object({
    format: outputFields.format.default('keep'),
    quality: outputFields.quality.default(80),
    metadata: outputFields.metadata.default('none'),
  }).default({
    format: 'keep',
    quality: 80,
    metadata: 'none',
  }),
};

const nameSchema = Joi.string()
  .pattern(RECIPE_NAME)
  .description('lower-case letters, digits and hyphens; it stands in addresses');
const example = {
  name: 'wide',
  title: 'Wide',
  steps: [{ op: 'fit', width: 1600, height: 1600, mode: 'inside' }],
  output: { format: 'jpeg', quality: 80 },
};

const recipeSchema = component(
  'Recipe',
  answer({
    name: nameSchema,
    title: Joi.string(),
    kinds: Joi.array().items(Joi.string()),
    folders: Joi.array().items(Joi.string()),
    when: Joi.string().valid('background', 'at-once'),
    steps: Joi.array().items(
      Joi.object({
        op: Joi.string().required(),
        width: Joi.number().optional(),
        height: Joi.number().optional(),
        mode: Joi.string().required(),
        enlarge: Joi.boolean().optional(),
      }),
    ),
    output: answer(outputFields),
    revision: Joi.number().integer(),
    renditions: answer(Object.fromEntries(RENDITION_STATES.map((state) => [state, Joi.number().integer()]))),
    bytes: Joi.number().integer(),
  }),
);

const params = Joi.object({ name: nameSchema.required() });

const planSchema = answer({
  plan: answer({
    items: Joi.array().items(
      answer({
        asset: idSchema,
        name: Joi.string(),
        recipe: Joi.string(),
        state: Joi.string().valid(...RENDITION_STATES),
      }),
    ),
    totals: answer({ renditions: Joi.number().integer(), assets: Joi.number().integer() }),
  }),
});

export const recipeRoutes: Route[] = [
  route({
    method: 'get',
    path: `${API_BASE}/recipes`,
    access: 'recipes:read',
    summary: 'List recipes with the states of their renditions',
    answers: { 200: { description: 'All recipes, by name', schema: pageOf(recipeSchema) } },
    async handle({ app }) {
      const items = await readRecipes(app.db);
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  }),
  route<object, object, Omit<Recipe, 'revision'>>({
    method: 'post',
    path: `${API_BASE}/recipes`,
    access: 'recipes:write',
    summary: 'Make a recipe',
    body: Joi.object({ name: nameSchema.required(), ...recipeInput }).example(example),
    answers: { 201: { description: 'The recipe', schema: recipeSchema } },
    async handle({ app, who, body }) {
      await makeRecipe(app.db, body, who.name);
      const { recipe, etag } = await readRecipe(app.db, body.name);
      return {
        status: 201,
        body: recipe,
        headers: { ETag: etag, Location: `${app.config.publicUrl}${API_BASE}/recipes/${body.name}` },
      };
    },
  }),
  route<object, { rehearse: boolean }, Rebuild>({
    method: 'post',
    path: `${API_BASE}/recipes/rebuild`,
    access: 'recipes:write',
    summary: 'Make renditions again, all or those that are missing or outdated',
    query: Joi.object({
      rehearse: Joi.boolean().default(false).description('list what would be made, and change nothing'),
    }),
    body: Joi.object({
      recipes: Joi.array().items(nameSchema).unique().min(1),
      only: Joi.string().valid('missing', 'outdated', 'all').default('missing'),
    }).example({ only: 'outdated' }),
    answers: {
      200: { description: 'What would be made', schema: planSchema },
      202: { description: 'The run that makes them', schema: answer({ run: runSchema }) },
    },
    async handle({ app, who, query, body }) {
      if (query.rehearse) return { status: 200, body: { plan: await rehearseRebuild(app.db, body) } };
      const id = await rebuild(app.db, body, who.name);
      return answerRun(app, id);
    },
  }),
  route<{ name: string }>({
    method: 'get',
    path: `${API_BASE}/recipes/{name}`,
    access: 'recipes:read',
    summary: 'One recipe',
    params,
    answers: { 200: { description: 'The recipe', schema: recipeSchema } },
    async handle({ app, params: { name } }) {
      const { recipe, etag } = await readRecipe(app.db, name);
      return { status: 200, body: recipe, headers: { ETag: etag } };
    },
  }),
  route<{ name: string }, object, Omit<Recipe, 'revision' | 'name'>>({
    method: 'put',
    path: `${API_BASE}/recipes/{name}`,
    access: 'recipes:write',
    summary: 'Replace a recipe; what it made before becomes outdated',
    params,
    body: Joi.object(recipeInput).example({
      title: example.title,
      steps: example.steps,
      output: example.output,
    }),
    answers: { 200: { description: 'The recipe as it is now', schema: recipeSchema } },
    async handle({ app, who, params: { name }, body, req }) {
      await changeRecipe(app.db, name, body, { by: who.name, ifMatch: req.get('if-match') });
      const { recipe, etag } = await readRecipe(app.db, name);
      return { status: 200, body: recipe, headers: { ETag: etag } };
    },
  }),
  route<{ name: string }>({
    method: 'delete',
    path: `${API_BASE}/recipes/{name}`,
    access: 'recipes:write',
    summary: 'Take a recipe away; what it made stays at its address',
    params,
    answers: { 204: { description: 'The recipe is gone' } },
    async handle({ app, who, params: { name }, req }) {
      await removeRecipe(app.db, name, { by: who.name, ifMatch: req.get('if-match') });
      return { status: 204 };
    },
  }),
];
