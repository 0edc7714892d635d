import { type IiifRequest, iiifInfo, iiifSteps, readIiifRequest } from '@uniferum/core/recipes';
import Joi from 'joi';
import { type AssetRow, findAsset } from '../library/asset-queries.js';
import { PRIVATE_CACHE, requireReadable } from '../library/visibility.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { hasCurrent } from '../shared/etag.js';
import type { Principal } from '../shared/principal.js';
import { type Route, route } from '../shared/route.js';
import type { Services } from '../shared/services.js';
import { sha256Of } from '../shared/sha256.js';
import { sendContent } from '../stores/send-content.js';
import { picture, type RenderRequest } from './on-request.js';
import type { ToolsFor } from './tools.js';
import { waitingFor } from './waiting.js';

/** Source: IIIF Image API 3.0, section 3: {scheme}://{server}{/prefix}/{identifier}/… */
const PREFIX = '/iiif/3';
const QUALITY = 82;
const FORMATS = { jpg: 'jpeg', png: 'png', webp: 'webp', gif: 'gif', avif: 'avif' } as const;
const LEVEL_2 = 'http://iiif.io/api/image/3/level2.json';
const JSON_LD = 'application/ld+json;profile="http://iiif.io/api/image/3/context.json"';
const CACHE_CONTROL = 'public, max-age=3600';

// What no picture has is not found, rather than malformed. Source: IIIF Image API 3.0, section 6.
const id = Joi.string().max(500).required().description('the id of an asset');
const params = Joi.object({ id });
const part = (about: string) => Joi.string().max(100).required().description(about);

// biome-ignore lint/complexity/noExcessiveLinesPerFunction: a table of routes, each of which stands on its own
export function iiifRoutes(toolsFor: ToolsFor): Route[] {
  return [
    route<{ id: string }>({
      method: 'get',
      path: `${PREFIX}/{id}`,
      access: 'anyone',
      summary: 'Redirect to the description of a picture (IIIF Image API 3.0)',
      params,
      answers: { 303: { description: 'The description' } },
      async handle({ services, who, params: { id } }) {
        await readPicture(services, id, who);
        return { status: 303, headers: { Location: `${baseOf(services, id)}/info.json` } };
      },
    }),
    route<{ id: string }>({
      method: 'get',
      path: `${PREFIX}/{id}/info.json`,
      access: 'anyone',
      summary: 'Describe a picture and its available sizes and formats (IIIF Image API 3.0, level 2)',
      params,
      answers: { 200: { description: 'The description', schema: Joi.object().unknown() } },
      async handle({ services, who, params: { id }, req, res }) {
        const { size, isPrivate } = await readPicture(services, id, who);
        const wantsLinkedData = (req.get('accept') ?? '').includes('application/ld+json');
        res.setHeader('Content-Type', wantsLinkedData ? JSON_LD : 'application/json');
        res.setHeader('Cache-Control', isPrivate ? PRIVATE_CACHE : CACHE_CONTROL);
        res.setHeader('Link', `<${LEVEL_2}>;rel="profile"`);
        res.setHeader('Vary', 'Accept, Authorization, Cookie');
        const info = JSON.stringify(
          iiifInfo(baseOf(services, id), size, { mayEnlarge: who.kind !== 'nobody' }),
        );
        const tag = `"${sha256Of(info).slice(0, 32)}"`;
        res.setHeader('ETag', tag);
        if (hasCurrent(req.get('if-none-match'), tag)) res.status(304).end();
        else res.send(info);
        return { status: 200, handled: true };
      },
    }),
    route<{ id: string } & Omit<IiifRequest, 'quality' | 'format'> & { file: string }>({
      method: 'get',
      path: `${PREFIX}/{id}/{region}/{size}/{rotation}/{file}`,
      access: 'anyone',
      atOnce: 32,
      summary: 'Get a region of a picture in a given size, rotation, quality and format (IIIF Image API 3.0)',
      params: Joi.object({
        id,
        region: part('full, square, x,y,w,h or pct:x,y,w,h'),
        size: part('max, w,h, w, or ,h or !w,h or pct:n; ^ before it enlarges'),
        rotation: part('degrees clockwise; ! before it mirrors'),
        file: part('quality and format: default.jpg'),
      }),
      answers: {
        200: { description: 'The picture', contentType: 'image/*' },
        304: { description: 'Unchanged' },
      },
      async handle({ services, who, params: { id, region, size, rotation, file }, req, res }) {
        const { asset, size: whole, isPrivate } = await readPicture(services, id, who);
        const dot = file.lastIndexOf('.');
        const [quality, format] = dot < 0 ? [file, ''] : [file.slice(0, dot), file.slice(dot + 1)];
        const read = readIiifRequest({ region, size, rotation, quality, format }, whole);
        if (!read.ok)
          throw new UniferumError('malformed-request', `The ${read.part} can't be had: ${read.reason}.`, {
            errors: [{ field: read.part, code: 'iiif', message: read.reason }],
          });
        const { image } = read;
        if (image.isUpscaled && who.kind === 'nobody')
          throw new UniferumError(
            'not-signed-in',
            `This size is larger than the region of ${asset.name}, and enlarging needs a key. Ask for a size up to that of the region.`,
          );
        const request: RenderRequest = {
          steps: iiifSteps(image),
          output: { format: FORMATS[image.format], quality: QUALITY, metadata: 'none', animation: 'first' },
        };
        const made = await picture(
          toolsFor(services),
          asset,
          request,
          waitingFor(toolsFor(services), who, req, res),
        );
        res.setHeader(
          'Link',
          `<${baseOf(services, id)}/${image.canonical}>;rel="canonical", <${LEVEL_2}>;rel="profile"`,
        );
        return sendContent(req, res, services.store, {
          sha256: made.sha256,
          bytes: made.bytes,
          mime: made.mime,
          name: `${asset.address_stem}.${image.format}`,
          modifiedAt: asset.updated_at,
          asAttachment: false,
          cacheControl: isPrivate ? PRIVATE_CACHE : CACHE_CONTROL,
        });
      },
    }),
  ];
}

const ASSET_ID = /^[1-9]\d{0,18}$/;

/** @throws UniferumError `not-found` when it is not a picture, in the bin, or not for them */
async function readPicture(
  services: Services,
  id: string,
  who: Principal,
): Promise<{ asset: AssetRow; size: { width: number; height: number }; isPrivate: boolean }> {
  const asset = ASSET_ID.test(id) ? await findAsset(services.db, id) : null;
  const isPicture = asset !== null && asset.live === 1 && (asset.kind === 'image' || asset.kind === 'vector');
  if (!isPicture || asset.width === null || asset.height === null) throw notFound(`The picture ${id}`);
  const { isPrivate } = await requireReadable(services.db, asset, who, `The picture ${id}`);
  return { asset, size: { width: asset.width, height: asset.height }, isPrivate };
}

function baseOf(services: Services, id: string): string {
  return `${services.config.mediaUrl}${PREFIX}/${id}`;
}
