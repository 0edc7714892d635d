import { extensionOfMime, type RecipeOutput, type Step } from '@uniferum/core';
import Joi from 'joi';
import { findAsset } from '../library/asset-queries.js';
import { sendContent } from '../library/content.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema } from '../shared/schemas.js';
import { anonymous, picture, readWish, renderOnce, signWish, type Wish } from './on-request.js';
import { outputSchema, stepsSchema } from './recipe-schemas.js';
import { assetParams, count } from './rendition-schemas.js';
import { requireSound } from './service.js';

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

/** Pictures for somebody who waits: previews, and signed addresses. */
export const onRequestRoutes: Route[] = [
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
