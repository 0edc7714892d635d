import {
  type Asset,
  extensionOfMime,
  originalAddress,
  pictureSnippet,
  RENDITION_STATES,
  type RecipeOutput,
  type RenditionState,
  renditionAddress,
  type Step,
} from '@uniferum/core';
import Joi from 'joi';
import { findAsset } from '../library/asset-queries.js';
import { filterSchema } from '../library/asset-schemas.js';
import { readAsset } from '../library/assets.js';
import type { Selection } from '../library/bulk.js';
import { sendContent } from '../library/content.js';
import { sumOptimised } from '../library/version-queries.js';
import { answerRun } from '../runs/answer.js';
import { runSchema } from '../runs/routes.js';
import { cutPage, readCursor } from '../shared/cursor.js';
import { type Database, isoTimeOrNull } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { groupBy } from '../shared/group.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, folderPathSchema, idSchema, pageOf, pagingSchemas, timeSchema } from '../shared/schemas.js';
import { fileEnd } from './file-end.js';
import { explainRendition, readMatrix } from './matrix.js';
import { anonymous, picture, readWish, renderOnce, signWish, type Wish } from './on-request.js';
import { beginOptimise, rehearseOptimise } from './optimise.js';
import type { OptimiseMode } from './optimise-queries.js';
import { findRenditions } from './queries.js';
import { REBUILD_STATES, type Rebuild, rebuild, rehearseRebuild } from './rebuild.js';
import { nameSchema, outputSchema, stepsSchema } from './recipe-schemas.js';
import { requireSound } from './service.js';
import { beginRemoval, chooseSubstitute, RESTORABLE_DAYS, rehearseRemoval } from './surplus.js';
import {
  countSurplus,
  listSurplus,
  type RenditionKey,
  type SurplusFilter,
  type SurplusRow,
} from './surplus-queries.js';

const count = Joi.number().integer().min(0);
const rehearsable = Joi.object({
  rehearse: Joi.boolean().default(false).description('list what would be done, and change nothing'),
});
const selectSchema = Joi.alternatives(
  Joi.object({ ids: Joi.array().items(idSchema).min(1).max(100_000).required() }),
  Joi.object({ q: filterSchema, folder: folderPathSchema.default('/'), deep: Joi.boolean().default(true) }),
).description('ids, or a filter within a folder');
const variantSchema = Joi.string().pattern(/^\d{1,5}w\.[a-z0-9]{1,6}$/);
const stateSchema = Joi.string().valid(...RENDITION_STATES);
const runAnswer = { description: 'The run that does it', schema: answer({ run: runSchema }) };
const assetParams = Joi.object({ id: idSchema.required() });

const rebuildRoutes: Route[] = [
  route<object, { rehearse: boolean }, Rebuild>({
    method: 'post',
    path: `${API_BASE}/recipes/rebuild`,
    access: 'recipes:write',
    summary: 'Make renditions again: by recipe, folder or filter, all or those that need it',
    query: rehearsable,
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
    async handle({ app, who, query, body }) {
      if (query.rehearse) return { status: 200, body: { plan: await rehearseRebuild(app.db, body) } };
      return answerRun(app, await rebuild(app.db, body, who.name));
    },
  }),
  route<object, { rehearse: boolean }, { select: Selection; mode: OptimiseMode['mode']; likeness: number }>({
    method: 'post',
    path: `${API_BASE}/assets/optimise`,
    access: 'library:write',
    summary: 'Make originals smaller; the version before stays and can be restored',
    query: rehearsable,
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
    async handle({ app, who, query, body: { select, mode, likeness } }) {
      if (query.rehearse) return { status: 200, body: { plan: await rehearseOptimise(app.db, select) } };
      const wish: OptimiseMode = mode === 'lossless' ? { mode } : { mode, likeness };
      return answerRun(app, await beginOptimise(app.db, select, wish, who.name));
    },
  }),
  route({
    method: 'get',
    path: `${API_BASE}/assets/optimised`,
    access: 'library:read',
    summary: 'What optimising originals has saved in all',
    answers: {
      200: {
        description: 'Files and their bytes',
        schema: answer({ files: count, before: count, after: count }),
      },
    },
    async handle({ app }) {
      return { status: 200, body: await sumOptimised(app.db) };
    },
  }),
];

const stateRoutes: Route[] = [
  route<
    object,
    { limit: number; cursor?: string; q?: string; folder?: string; deep: boolean; state?: RenditionState }
  >({
    method: 'get',
    path: `${API_BASE}/recipes/matrix`,
    access: 'recipes:read',
    summary: 'Assets × recipes with the state of each rendition',
    query: Joi.object({
      q: filterSchema,
      folder: folderPathSchema.default('/'),
      deep: Joi.boolean().default(true),
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
              cells: Joi.object().unknown().description('by the recipe’s name: { state, files, bytes }'),
            }),
          ),
          total: count,
          next: Joi.string().allow(null),
        }),
      },
    },
    async handle({ app, query: { limit, cursor, q = '', folder = '/', deep, state } }) {
      const isAll = q === '' && folder === '/' && deep;
      const page = await readMatrix(
        app.db,
        {
          select: isAll ? null : { q, folder, deep },
          states: state === undefined ? null : [state],
          limit,
          before: cursor === undefined ? null : Number(readCursor(cursor, 1)[0]),
        },
        app.config.publicUrl,
      );
      return { status: 200, body: page };
    },
  }),
  route<{ id: string; recipe: string }, { variant?: string }>({
    method: 'get',
    path: `${API_BASE}/assets/{id}/renditions/{recipe}`,
    access: 'recipes:read',
    summary: 'Why a rendition is in its state, and what it was made by',
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
    async handle({ app, params: { id, recipe }, query: { variant } }) {
      return { status: 200, body: await explainRendition(app.db, id, recipe, variant ?? '') };
    },
  }),
  route<{ id: string }, { recipe: string; sizes: string }>({
    method: 'get',
    path: `${API_BASE}/assets/{id}/snippet`,
    access: 'library:read',
    summary: 'The HTML that shows a recipe’s renditions, with srcset and fallbacks',
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
    async handle({ app, params: { id }, query: { recipe, sizes } }) {
      const { asset }: { asset: Asset } = await readAsset(app.db, id, app.config.publicUrl);
      const snippet = pictureSnippet(asset, recipe, sizes);
      if (snippet === null) throw notFound(`A rendition of ${asset.name} by ${recipe}`);
      return { status: 200, body: snippet };
    },
  }),
];

const surplusFilter = {
  recipes: Joi.array().items(nameSchema).min(1),
  unaskedDays: count.description('only those that nobody has asked for within so many days'),
  keys: Joi.array()
    .items(answer({ asset: idSchema, recipe: nameSchema, variant: Joi.string().allow(null) }))
    .min(1)
    .max(10_000),
};

interface SurplusBody {
  recipes?: string[];
  unaskedDays?: number;
  keys?: { asset: string; recipe: string; variant: string | null }[];
}

function toFilter({ recipes, unaskedDays, keys }: SurplusBody): SurplusFilter {
  return {
    recipes,
    unaskedDays,
    keys: keys?.map(({ asset, recipe, variant }): RenditionKey => [Number(asset), recipe, variant ?? '']),
  };
}

const surplusSchema = answer({
  asset: answer({ id: idSchema, name: Joi.string(), folder: Joi.string() }),
  recipe: Joi.string(),
  variant: Joi.string().allow(null),
  url: Joi.string().uri(),
  mime: Joi.string(),
  width: count,
  height: count,
  bytes: count,
  why: Joi.string().valid('recipe-removed', 'size-removed', 'does-not-apply'),
  requests: count,
  lastRequestAt: timeSchema.allow(null),
  uses: count.allow(null).description('null until pages report their uses'),
  leadsTo: Joi.string().uri().description('where its address leads once it is removed'),
});

const surplusRoutes: Route[] = [
  route<object, { limit: number; cursor?: string; unaskedDays?: number; recipe?: string }>({
    method: 'get',
    path: `${API_BASE}/renditions/surplus`,
    access: 'recipes:read',
    summary: 'Renditions that no recipe asks for, with their last request',
    query: Joi.object({ ...pagingSchemas, unaskedDays: count, recipe: nameSchema }),
    answers: {
      200: { description: 'A page of them', schema: pageOf(surplusSchema).keys({ bytes: count.required() }) },
    },
    async handle({ app, query: { limit, cursor, unaskedDays, recipe } }) {
      const filter: SurplusFilter = { unaskedDays, ...(recipe !== undefined && { recipes: [recipe] }) };
      const position = cursor === undefined ? null : readCursor(cursor, 3);
      const after =
        position &&
        ([String(position[0]), Number(position[1]), String(position[2])] as [string, number, string]);
      const rows = await listSurplus(app.db, filter, { limit, after });
      const page = cutPage(rows, limit, (row) => [row.recipe, row.asset_id, row.variant]);
      const { items: total, bytes } = await countSurplus(app.db, filter);
      const items = await toSurplusAnswers(app.db, page.rows, app.config.publicUrl);
      return { status: 200, body: { items, total, bytes, next: page.next } };
    },
  }),
  route<object, { rehearse: boolean }, SurplusBody>({
    method: 'post',
    path: `${API_BASE}/renditions/surplus/remove`,
    access: 'recipes:write',
    summary: `Remove surplus renditions; their addresses lead on, and for ${RESTORABLE_DAYS} days they can be brought back`,
    query: rehearsable,
    body: Joi.object(surplusFilter).example({ unaskedDays: 30 }),
    answers: {
      200: {
        description: 'What would be removed',
        schema: answer({
          plan: answer({
            items: Joi.array().items(surplusSchema),
            totals: answer({ items: count, bytes: count }),
          }),
        }),
      },
      202: runAnswer,
    },
    async handle({ app, who, query, body }) {
      const filter = toFilter(body);
      if (!query.rehearse) return answerRun(app, await beginRemoval(app.db, filter, who.name));
      const rows = (await listSurplus(app.db, filter, { limit: 500, after: null })).slice(0, 500);
      const items = await toSurplusAnswers(app.db, rows, app.config.publicUrl);
      return { status: 200, body: { plan: { items, totals: await rehearseRemoval(app.db, filter) } } };
    },
  }),
];

async function toSurplusAnswers(db: Database, rows: readonly SurplusRow[], publicUrl: string) {
  const renditions = groupBy(
    await findRenditions(db, [...new Set(rows.map(({ asset_id }) => asset_id))]),
    ({ asset_id }) => asset_id,
  );
  return rows.map((row) => {
    const { folder_path, address_stem, name, variant, mime, recipe, width, height, bytes } = row;
    const addressOf = (one: { recipe: string; variant: string; mime: string | null }) =>
      publicUrl + renditionAddress(folder_path, address_stem, one.recipe, fileEnd(one));
    const instead = chooseSubstitute(row, renditions.get(row.asset_id) ?? []);
    return {
      asset: { id: String(row.asset_id), name, folder: folder_path },
      recipe,
      variant: variant === '' ? null : variant,
      url: addressOf(row),
      mime,
      width,
      height,
      bytes,
      why: !row.has_recipe ? 'recipe-removed' : variant === '' ? 'does-not-apply' : 'size-removed',
      requests: Number(row.requests ?? 0),
      lastRequestAt: isoTimeOrNull(row.last_at),
      uses: null,
      leadsTo: instead ? addressOf(instead) : publicUrl + originalAddress(folder_path, name),
    };
  });
}

interface PreviewBody {
  asset: string;
  steps: Step[];
  output: RecipeOutput;
}

const wishBody = { steps: stepsSchema.required(), output: outputSchema };
const wishExample = {
  steps: [{ op: 'fit', width: 300, height: 200, mode: 'cover' }],
  output: { format: 'webp', quality: 75 },
};

const onRequestRoutes: Route[] = [
  route<object, object, PreviewBody>({
    method: 'post',
    path: `${API_BASE}/recipes/preview`,
    access: 'recipes:read',
    summary: 'What a chain of steps makes of an asset; nothing is kept',
    body: Joi.object({ asset: idSchema.required(), ...wishBody }).example({ asset: '1', ...wishExample }),
    answers: {
      200: {
        description: 'The picture as a data URI, with its figures',
        schema: answer({
          data: Joi.string(),
          mime: Joi.string(),
          width: count,
          height: count,
          bytes: count,
          quality: count.allow(null),
          likeness: Joi.number().allow(null),
          workMs: count,
        }),
      },
    },
    async handle({ app, body: { asset: id, steps, output }, res }) {
      requireSound({ steps, output });
      const asset = await findAsset(app.db, id);
      if (asset === null || asset.live === null) throw notFound(`Asset ${id}`);
      // Whoever types on has closed the request: what it asked for is not needed any more.
      const overtaken = new AbortController();
      res.on('close', () => overtaken.abort());
      const began = performance.now();
      const result = await renderOnce(app, asset, anonymous({ steps, output }), {
        signal: overtaken.signal,
        keepDecoded: true,
      }).catch((error) => {
        if (!overtaken.signal.aborted) throw error;
        return null;
      });
      if (result === null) return { status: 200, handled: true };
      const { made } = result;
      const main = made.find(({ variant }) => variant === null);
      if (!main) throw notFound(`A picture of ${asset.name}`);
      const { data, mime, width, height, quality, likeness } = main;
      return {
        status: 200,
        body: {
          data: `data:${mime};base64,${Buffer.from(data).toString('base64')}`,
          mime,
          width,
          height,
          bytes: data.length,
          quality,
          likeness,
          workMs: Math.round(performance.now() - began),
        },
      };
    },
  }),
  route<{ id: string }, object, Wish>({
    method: 'post',
    path: `${API_BASE}/assets/{id}/address`,
    access: 'recipes:read',
    summary: 'A signed address at which a chain of steps is carried out when it is first asked for',
    params: assetParams,
    body: Joi.object(wishBody).example(wishExample),
    answers: { 200: { description: 'The address', schema: answer({ url: Joi.string().uri() }) } },
    async handle({ app, params: { id }, body }) {
      requireSound(body);
      const asset = await findAsset(app.db, id);
      if (asset === null || asset.live === null) throw notFound(`Asset ${id}`);
      const { spec, signature } = signWish(app.config.masterKey, id, body);
      return { status: 200, body: { url: `${app.config.publicUrl}/made/${id}/${signature}/${spec}` } };
    },
  }),
  route<{ id: string; signature: string; spec: string }>({
    method: 'get',
    path: '/made/{id}/{signature}/{spec}',
    access: 'public',
    summary: 'What a signed address asks for: made now, or when it was first asked for',
    params: Joi.object({
      id: idSchema.required(),
      signature: Joi.string().max(64).required(),
      spec: Joi.string().max(8000).required(),
    }),
    answers: {
      200: { description: 'The picture', contentType: 'image/*' },
      304: { description: 'Unchanged' },
    },
    async handle({ app, params: { id, signature, spec }, req, res }) {
      const wish = readWish(app.config.masterKey, id, spec, signature);
      const asset = await findAsset(app.db, id);
      if (asset === null || asset.live === null) throw notFound(`Asset ${id}`);
      const { sha256, bytes, mime } = await picture(app, asset, wish);
      return sendContent(req, res, app.store, {
        sha256,
        bytes,
        mime,
        name: `${asset.address_stem}.${extensionOfMime(mime) ?? 'bin'}`,
        modifiedAt: asset.updated_at,
        asAttachment: false,
        cacheControl: 'public, max-age=3600',
      });
    },
  }),
];

export const renditionRoutes: Route[] = [
  ...rebuildRoutes,
  ...stateRoutes,
  ...surplusRoutes,
  ...onRequestRoutes,
];
