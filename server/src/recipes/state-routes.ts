import type { Asset } from '@uniferum/core/library';
import { pictureSnippet, type RenditionState } from '@uniferum/core/recipes';
import Joi from 'joi';
import { searchSchemas } from '../library/asset-schemas.js';
import { readAsset } from '../library/assets.js';
import { readCursor } from '../shared/cursor.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema, pageOf, pagingSchemas } from '../shared/schemas.js';
import { explainRendition, readMatrix } from './matrix.js';
import { nameSchema } from './recipe-schemas.js';
import { assetParams, count, renditionSchema, stateSchema } from './rendition-schemas.js';
import type { ToolsFor } from './tools.js';

const variantSchema = Joi.string().pattern(/^\d{1,5}w\.[a-z0-9]{1,6}$/);

/** The states of renditions, the reasons for them, and markup to embed them. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: a table of routes, each of which stands on its own
export function stateRoutes(toolsFor: ToolsFor): Route[] {
  return [
    route<
      object,
      { limit: number; cursor?: string; q?: string; folder?: string; deep: boolean; state?: RenditionState }
    >({
      method: 'get',
      path: `${API_BASE}/recipes/matrix`,
      access: 'recipes:read',
      summary: 'List assets by recipes, with the state of each rendition',
      query: Joi.object({
        ...searchSchemas,
        state: stateSchema.description('only assets with a rendition in it'),
        ...pagingSchemas,
      }),
      answers: {
        200: {
          description: 'A page of assets, what came last first',
          schema: answer({
            recipes: Joi.array().items(nameSchema),
            items: Joi.array().items(
              answer({
                asset: answer({
                  id: idSchema,
                  name: Joi.string(),
                  folder: Joi.string(),
                  kind: Joi.string(),
                  placeholder: Joi.string().allow(null),
                  preview: Joi.string().allow(null),
                }),
                cells: Joi.object().unknown().description("by the recipe's name: { state, files, bytes }"),
              }),
            ),
            total: count,
            next: Joi.string().allow(null),
          }),
        },
      },
      async handle({ services, query: { limit, cursor, q = '', folder = '/', deep, state } }) {
        const isAll = q === '' && folder === '/' && deep;
        const page = await readMatrix(toolsFor(services), {
          select: isAll ? null : { q, folder, deep },
          states: state === undefined ? null : [state],
          limit,
          before: cursor === undefined ? null : Number(readCursor(cursor, 1)[0]),
        });
        return { status: 200, body: page };
      },
    }),
    route<{ id: string }>({
      method: 'get',
      path: `${API_BASE}/assets/{id}/renditions`,
      access: 'library:read',
      summary: 'List the renditions of an asset',
      params: assetParams,
      answers: { 200: { description: 'The renditions', schema: pageOf(renditionSchema) } },
      async handle({ services, params: { id } }) {
        const { asset }: { asset: Asset } = await readAsset(toolsFor(services), id);
        return { status: 200, body: { items: asset.renditions, total: asset.renditions.length, next: null } };
      },
    }),
    route<{ id: string; recipe: string }, { variant?: string }>({
      method: 'get',
      path: `${API_BASE}/assets/{id}/renditions/{recipe}`,
      access: 'recipes:read',
      summary: 'Explain the state of a rendition',
      params: Joi.object({ id: idSchema.required(), recipe: nameSchema.required() }),
      query: Joi.object({ variant: variantSchema }),
      answers: {
        200: {
          description: 'Its story',
          schema: answer({
            recipe: Joi.string(),
            variant: Joi.string().allow(null),
            state: stateSchema,
            reasons: Joi.array().items(answer({ code: Joi.string(), message: Joi.string() })),
            madeBy: answer({ revision: count, version: count }).allow(null),
            now: answer({ revision: count.allow(null), version: count }),
            quality: count.allow(null),
            likeness: Joi.number().allow(null),
            workMs: count.allow(null),
          }),
        },
      },
      async handle({ services, params: { id, recipe }, query: { variant } }) {
        return { status: 200, body: await explainRendition(services.db, id, recipe, variant ?? '') };
      },
    }),
    route<{ id: string }, { recipe: string; sizes: string }>({
      method: 'get',
      path: `${API_BASE}/assets/{id}/snippet`,
      access: 'library:read',
      summary: 'Get the HTML for the renditions of a recipe, with srcset and fallbacks',
      params: assetParams,
      query: Joi.object({
        recipe: nameSchema.required(),
        sizes: Joi.string()
          .max(500)
          .default('100vw')
          .description('how wide the picture is shown: the sizes attribute'),
      }),
      answers: {
        200: {
          description: 'The snippet',
          schema: answer({
            html: Joi.string(),
            srcset: Joi.string().allow(''),
            sizes: Joi.string(),
            src: Joi.string(),
          }),
        },
      },
      async handle({ services, params: { id }, query: { recipe, sizes } }) {
        const { asset }: { asset: Asset } = await readAsset(toolsFor(services), id);
        const snippet = pictureSnippet(asset, recipe, sizes);
        if (snippet === null) throw notFound(`A rendition of ${asset.name} by ${recipe}`);
        return { status: 200, body: snippet };
      },
    }),
  ];
}
