import {
  describeChanges,
  type PortableRecipe,
  RECIPES_FORMAT,
  type RecipesDocument,
  recipesSchema,
} from '@uniferum/core/recipes';
import Joi from 'joi';
import { isoTime } from '../shared/database.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, pageOf, timeSchema } from '../shared/schemas.js';
import { listRevisions } from './recipe-queries.js';
import { nameSchema, portableSchema, recipeInput, recipeSchema } from './recipe-schemas.js';
import {
  changeRecipe,
  importRecipes,
  makeRecipe,
  readDocument,
  readRecipe,
  readRecipes,
  rehearseImport,
  rehearseRecipe,
  removeRecipe,
} from './service.js';

const count = Joi.number().integer().min(0);
const params = Joi.object({ name: nameSchema.required() });
const example = {
  name: 'wide',
  title: 'Wide',
  steps: [{ op: 'fit', width: 1600, height: 1600, mode: 'inside' }],
  output: { format: 'jpeg', quality: 80 },
};

const rehearsable = Joi.object({
  rehearse: Joi.boolean().default(false).description('say what it would come to, and change nothing'),
});

const impactSchema = answer({
  plan: answer({
    items: Joi.array().items(answer({ change: Joi.string() })),
    totals: answer({
      outdated: count,
      fresh: count.description('files that are fresh again, because an edit was reverted'),
      due: count,
      surplus: count,
      bytesNow: count,
      bytesAfter: count.allow(null).description('null while nothing was measured'),
      seconds: Joi.number().allow(null).description('with the workers that are there'),
    }),
  }),
});

const importSchema = answer({
  plan: answer({
    items: Joi.array().items(
      answer({
        name: nameSchema,
        action: Joi.string().valid('make', 'change', 'same'),
        changes: Joi.array().items(Joi.string()),
      }),
    ),
    totals: answer({ make: count, change: count, same: count }),
  }),
});

const documentSchema = Joi.object({
  format: Joi.string().valid(RECIPES_FORMAT).required(),
  version: Joi.number().valid(1).required(),
  recipes: Joi.array().items(portableSchema).required(),
});

const importBody = Joi.object({
  $schema: Joi.string(),
  format: Joi.string().valid(RECIPES_FORMAT).required(),
  version: Joi.number().valid(1).required(),
  recipes: Joi.array()
    .items(Joi.object({ name: nameSchema.required(), ...recipeInput }))
    .max(1000)
    .required(),
}).example({ format: RECIPES_FORMAT, version: 1, recipes: [example] });

export const recipeRoutes: Route[] = [
  route({
    method: 'get',
    path: `${API_BASE}/recipes`,
    access: 'recipes:read',
    summary: 'List recipes with the states of their renditions',
    tokenFolder: () => null,
    answers: { 200: { description: 'All recipes, by name', schema: pageOf(recipeSchema) } },
    async handle({ services }) {
      const items = await readRecipes(services);
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  }),
  route<object, { rehearse: boolean }, PortableRecipe>({
    method: 'post',
    path: `${API_BASE}/recipes`,
    access: 'recipes:write',
    summary: 'Create a recipe',
    query: rehearsable,
    body: Joi.object({ name: nameSchema.required(), ...recipeInput }).example(example),
    answers: {
      200: { description: 'What it would come to', schema: impactSchema },
      201: { description: 'The recipe', schema: recipeSchema },
    },
    async handle({ services, who, query, body }) {
      if (query.rehearse) return { status: 200, body: { plan: await rehearseRecipe(services.db, body) } };
      await makeRecipe(services.db, body, who.name);
      const { recipe, etag } = await readRecipe(services, body.name);
      return {
        status: 201,
        body: recipe,
        headers: { ETag: etag, Location: `${services.config.publicUrl}${API_BASE}/recipes/${body.name}` },
      };
    },
  }),
  route({
    method: 'get',
    path: `${API_BASE}/recipes/schema.json`,
    access: 'public',
    summary: 'Get the JSON Schema of a recipe document',
    answers: {
      200: {
        description: 'JSON Schema 2020-12',
        contentType: 'application/schema+json',
        schema: Joi.object().unknown(),
      },
    },
    async handle({ services, res }) {
      res.setHeader('Content-Type', 'application/schema+json');
      res.setHeader('Access-Control-Allow-Origin', '*');
      res.send(JSON.stringify(recipesSchema(`${services.config.publicUrl}${API_BASE}/recipes/schema.json`)));
      return { status: 200, handled: true };
    },
  }),
  route<object, { names?: string }>({
    method: 'get',
    path: `${API_BASE}/recipes/export`,
    access: 'recipes:read',
    summary: 'Export recipes as one document',
    query: Joi.object({ names: Joi.string().max(4000).description('separated by commas; absent for all') }),
    answers: { 200: { description: 'The document', schema: documentSchema } },
    async handle({ services, query: { names } }) {
      return {
        status: 200,
        body: await readDocument(services.db, names === undefined ? null : names.split(',')),
        headers: { 'Content-Disposition': 'attachment; filename="recipes.json"' },
      };
    },
  }),
  route<object, { rehearse: boolean }, RecipesDocument>({
    method: 'post',
    path: `${API_BASE}/recipes/import`,
    access: 'recipes:write',
    summary: 'Import recipes from a document; all of them or none',
    query: rehearsable,
    maxBodyBytes: 4_000_000,
    body: importBody,
    answers: { 200: { description: 'What was done, or would be', schema: importSchema } },
    async handle({ services, who, query, body }) {
      const items = query.rehearse
        ? await rehearseImport(services.db, body)
        : await importRecipes(services.db, body, who.name);
      const totals = { make: 0, change: 0, same: 0 };
      for (const { action } of items) totals[action] += 1;
      return { status: 200, body: { plan: { items, totals } } };
    },
  }),
  route<{ name: string }>({
    method: 'get',
    path: `${API_BASE}/recipes/{name}`,
    access: 'recipes:read',
    summary: 'Get a recipe',
    params,
    answers: { 200: { description: 'The recipe', schema: recipeSchema } },
    async handle({ services, params: { name } }) {
      const { recipe, etag } = await readRecipe(services, name);
      return { status: 200, body: recipe, headers: { ETag: etag } };
    },
  }),
  route<{ name: string }, { rehearse: boolean }, Omit<PortableRecipe, 'name'>>({
    method: 'put',
    path: `${API_BASE}/recipes/{name}`,
    access: 'recipes:write',
    summary: 'Replace a recipe; its existing renditions become outdated',
    params,
    query: rehearsable,
    body: Joi.object(recipeInput).example({
      title: example.title,
      steps: example.steps,
      output: example.output,
    }),
    answers: {
      200: {
        description: 'The recipe as it is now; or what the change would come to',
        schema: Joi.alternatives(recipeSchema, impactSchema),
      },
    },
    async handle({ services, who, params: { name }, query, body, req }) {
      if (query.rehearse) {
        await readRecipe(services, name);
        return { status: 200, body: { plan: await rehearseRecipe(services.db, { ...body, name }) } };
      }
      await changeRecipe(services.db, name, body, { by: who.name, ifMatch: req.get('if-match') });
      const { recipe, etag } = await readRecipe(services, name);
      return { status: 200, body: recipe, headers: { ETag: etag } };
    },
  }),
  route<{ name: string }>({
    method: 'delete',
    path: `${API_BASE}/recipes/{name}`,
    access: 'recipes:write',
    summary: 'Delete a recipe; its renditions keep their addresses',
    params,
    answers: { 204: { description: 'The recipe is gone' } },
    async handle({ services, who, params: { name }, req }) {
      await removeRecipe(services.db, name, { by: who.name, ifMatch: req.get('if-match') });
      return { status: 204 };
    },
  }),
  route<{ name: string }>({
    method: 'get',
    path: `${API_BASE}/recipes/{name}/revisions`,
    access: 'recipes:read',
    summary: 'List the revisions of a recipe, newest first',
    params,
    answers: {
      200: {
        description: 'The revisions, each with what it changed',
        schema: pageOf(
          answer({
            revision: count,
            by: Joi.string(),
            at: timeSchema,
            changes: Joi.array().items(Joi.string()),
            recipe: portableSchema,
          }),
        ),
      },
    },
    async handle({ services, params: { name } }) {
      const revisions = await listRevisions(services.db, name);
      const items = revisions.map(({ revision, recipe, by, at }, index) => {
        const before = revisions[index + 1];
        return {
          revision,
          by,
          at: isoTime(at),
          changes: before ? describeChanges(before.recipe, recipe) : [],
          recipe,
        };
      });
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  }),
];
