import { extensionOfMime } from '@uniferum/core/intake';
import type { RecipeOutput, Step } from '@uniferum/core/recipes';
import Joi from 'joi';
import { findAsset } from '../library/asset-queries.js';
import { PRIVATE_CACHE, requireReadable } from '../library/visibility.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema } from '../shared/schemas.js';
import { sendContent } from '../stores/send-content.js';
import {
  anonymous,
  picture,
  type RenderRequest,
  readSignedRequest,
  renderOnce,
  signRequest,
} from './on-request.js';
import { outputSchema, stepsSchema } from './recipe-schemas.js';
import { assetParams, count } from './rendition-schemas.js';
import { requireSound } from './service.js';
import type { ToolsFor } from './tools.js';
import { waitingFor } from './waiting.js';

interface PreviewBody {
  asset: string;
  steps: Step[];
  output: RecipeOutput;
}

const renderBody = { steps: stepsSchema.required(), output: outputSchema };
const renderExample = {
  steps: [{ op: 'fit', width: 300, height: 200, mode: 'cover' }],
  output: { format: 'webp', quality: 75 },
};

/** Pictures rendered while somebody waits: previews and signed URLs. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: a table of routes, each of which stands on its own
export function onRequestRoutes(toolsFor: ToolsFor): Route[] {
  return [
    route<object, object, PreviewBody>({
      method: 'post',
      path: `${API_BASE}/recipes/preview`,
      access: 'recipes:read',
      summary: 'Preview the result of steps for an asset; nothing is stored',
      body: Joi.object({ asset: idSchema.required(), ...renderBody }).example({
        asset: '1',
        ...renderExample,
      }),
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
      atOnce: 8,
      // Previews are not worth storing for retries, and rendering holds no transaction.
      ownIdempotency: true,
      async handle({ services, who, body: { asset: id, steps, output }, req, res }) {
        requireSound({ steps, output });
        const asset = await findAsset(services.db, id);
        if (asset === null || asset.live === null) throw notFound(`Asset ${id}`);
        // A user who keeps typing has closed the request: its result is no longer needed.
        const waiting = waitingFor(toolsFor(services), who, req, res);
        const began = performance.now();
        const result = await renderOnce(toolsFor(services), asset, anonymous({ steps, output }), {
          waiting,
          keepDecoded: true,
        }).catch((error) => {
          if (!waiting.signal.aborted) throw error;
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
    route<{ id: string }, object, RenderRequest>({
      method: 'post',
      path: `${API_BASE}/assets/{id}/address`,
      access: 'recipes:read',
      summary: 'Create a signed address for the result of steps, rendered on first request',
      params: assetParams,
      body: Joi.object(renderBody).example(renderExample),
      answers: { 200: { description: 'The address', schema: answer({ url: Joi.string().uri() }) } },
      async handle({ services, params: { id }, body }) {
        requireSound(body);
        const asset = await findAsset(services.db, id);
        if (asset === null || asset.live === null) throw notFound(`Asset ${id}`);
        const { spec, signature } = signRequest(services.config.masterKey, id, body);
        return { status: 200, body: { url: `${services.config.mediaUrl}/made/${id}/${signature}/${spec}` } };
      },
    }),
    route<{ id: string; signature: string; spec: string }>({
      method: 'get',
      path: '/made/{id}/{signature}/{spec}',
      access: 'anyone',
      atOnce: 32,
      summary: 'Get the picture of a signed address',
      params: Joi.object({
        id: idSchema.required(),
        signature: Joi.string().max(64).required(),
        spec: Joi.string().max(8000).required(),
      }),
      answers: {
        200: { description: 'The picture', contentType: 'image/*' },
        304: { description: 'Unchanged' },
      },
      async handle({ services, who, params: { id, signature, spec }, req, res }) {
        const request = readSignedRequest(services.config.masterKey, id, spec, signature);
        const asset = await findAsset(services.db, id);
        if (asset === null || asset.live === null) throw notFound(`Asset ${id}`);
        const { isPrivate } = await requireReadable(services.db, asset, who, `Asset ${id}`);
        const { sha256, bytes, mime } = await picture(
          toolsFor(services),
          asset,
          request,
          waitingFor(toolsFor(services), who, req, res),
        );
        return sendContent(req, res, services.store, {
          sha256,
          bytes,
          mime,
          name: `${asset.address_stem}.${extensionOfMime(mime) ?? 'bin'}`,
          modifiedAt: asset.updated_at,
          asAttachment: false,
          cacheControl: isPrivate ? PRIVATE_CACHE : 'public, max-age=3600',
        });
      },
    }),
  ];
}
