import Joi from 'joi';
import type { Selection } from '../library/bulk.js';
import { sumOptimised } from '../library/version-queries.js';
import { answerRun } from '../runs/answer.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema } from '../shared/schemas.js';
import { beginOptimise, rehearseOptimise } from './optimise.js';
import type { OptimiseMode } from './optimise-queries.js';
import { REBUILD_STATES, type Rebuild, rebuild, rehearseRebuild } from './rebuild.js';
import { nameSchema } from './recipe-schemas.js';
import { count, rehearsable, runAnswer, selectSchema, stateSchema } from './rendition-schemas.js';
import type { ToolsFor } from './tools.js';

/** Rebuilding renditions, and optimising originals. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: a table of routes, each of which stands on its own
export function rebuildRoutes(toolsFor: ToolsFor): Route[] {
  return [
    route<object, { rehearse: boolean }, Rebuild>({
      method: 'post',
      path: `${API_BASE}/recipes/rebuild`,
      access: 'recipes:write',
      summary: 'Rebuild renditions by recipe, folder or filter',
      query: rehearsable,
      maxBodyBytes: 2_500_000,
      body: Joi.object({
        recipes: Joi.array().items(nameSchema).unique().min(1),
        select: selectSchema,
        only: Joi.string()
          .valid(...Object.keys(REBUILD_STATES))
          .default('missing')
          .description('missing: due or failed; unfinished: all that are not fresh'),
      }).example({ only: 'outdated' }),
      answers: {
        200: {
          description: 'What would be made',
          schema: answer({
            plan: answer({
              items: Joi.array().items(
                answer({ asset: idSchema, name: Joi.string(), recipe: Joi.string(), state: stateSchema }),
              ),
              totals: answer({
                renditions: count,
                assets: count,
                bytesNow: count,
                bytesAfter: count.allow(null),
                seconds: Joi.number().allow(null),
              }),
            }),
          }),
        },
        202: runAnswer,
      },
      async handle({ services, who, query, body }) {
        if (query.rehearse)
          return { status: 200, body: { plan: await rehearseRebuild(toolsFor(services), body) } };
        return answerRun(services, await rebuild(toolsFor(services), body, who.name));
      },
    }),
    route<object, { rehearse: boolean }, { select: Selection; mode: OptimiseMode['mode']; likeness: number }>(
      {
        method: 'post',
        path: `${API_BASE}/assets/optimise`,
        access: 'library:write',
        summary: 'Optimise originals; the previous version can be restored',
        query: rehearsable,
        maxBodyBytes: 2_500_000,
        body: Joi.object({
          select: selectSchema.required(),
          mode: Joi.string().valid('lossless', 'likeness').default('lossless'),
          likeness: Joi.number()
            .min(0.9)
            .max(0.9999)
            .default(0.99)
            .description('the least structural similarity'),
        }).example({ select: { q: 'kind:image size>1mb' } }),
        answers: {
          200: {
            description: 'What would be looked at',
            schema: answer({
              plan: answer({
                items: Joi.array().items(
                  answer({ asset: idSchema, name: Joi.string(), mime: Joi.string(), bytes: count }),
                ),
                totals: answer({ selected: count, possible: count, bytes: count }),
              }),
            }),
          },
          202: runAnswer,
        },
        async handle({ services, who, query, body: { select, mode, likeness } }) {
          if (query.rehearse)
            return { status: 200, body: { plan: await rehearseOptimise(toolsFor(services), select) } };
          const optimiseMode: OptimiseMode = mode === 'lossless' ? { mode } : { mode, likeness };
          return answerRun(services, await beginOptimise(toolsFor(services), select, optimiseMode, who.name));
        },
      },
    ),
    route({
      method: 'get',
      path: `${API_BASE}/assets/optimised`,
      access: 'library:read',
      summary: 'Get the total savings of optimised originals',
      answers: {
        200: {
          description: 'Files and their bytes',
          schema: answer({ files: count, before: count, after: count }),
        },
      },
      async handle({ services }) {
        return { status: 200, body: await sumOptimised(services.db) };
      },
    }),
  ];
}
