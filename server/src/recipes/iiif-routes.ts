import { type IiifRequest, iiifInfo, iiifSteps, readIiifRequest } from '@uniferum/core';
import type { Response } from 'express';
import Joi from 'joi';
import type { App } from '../app.js';
import { type AssetRow, findAsset } from '../library/asset-queries.js';
import { sendContent } from '../library/content.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { type Route, route } from '../shared/route.js';
import { idSchema } from '../shared/schemas.js';
import { picture } from './on-request.js';

/** Source: IIIF Image API 3.0, section 3: {scheme}://{server}{/prefix}/{identifier}/… */
const PREFIX = '/iiif/3';
const QUALITY = 82;
const FORMATS = { jpg: 'jpeg', png: 'png', webp: 'webp', gif: 'gif', avif: 'avif' } as const;
const LEVEL_2 = 'http://iiif.io/api/image/3/level2.json';
const JSON_LD = 'application/ld+json;profile="http://iiif.io/api/image/3/context.json"';
const CACHE_CONTROL = 'public, max-age=3600';

const params = Joi.object({ id: idSchema.required() });
const part = (about: string) => Joi.string().max(100).required().description(about);

export const iiifRoutes: Route[] = [
  route<{ id: string }>({
    method: 'get',
    path: `${PREFIX}/{id}`,
    access: 'public',
    summary: 'The address of a picture leads to its description (IIIF Image API 3.0)',
    params,
    answers: { 303: { description: 'The description' } },
    async handle({ app, params: { id }, res }) {
      await readPicture(app, id);
      allowAll(res);
      return { status: 303, headers: { Location: `${baseOf(app, id)}/info.json` } };
    },
  }),
  route<{ id: string }>({
    method: 'get',
    path: `${PREFIX}/{id}/info.json`,
    access: 'public',
    summary: 'What a picture is and what can be asked of it (IIIF Image API 3.0, level 2)',
    params,
    answers: { 200: { description: 'The description', schema: Joi.object().unknown() } },
    async handle({ app, params: { id }, req, res }) {
      const { size } = await readPicture(app, id);
      allowAll(res);
      const wantsLinkedData = (req.get('accept') ?? '').includes('application/ld+json');
      res.setHeader('Content-Type', wantsLinkedData ? JSON_LD : 'application/json');
      res.setHeader('Cache-Control', CACHE_CONTROL);
      res.setHeader('Link', `<${LEVEL_2}>;rel="profile"`);
      res.send(JSON.stringify(iiifInfo(baseOf(app, id), size)));
      return { status: 200, handled: true };
    },
  }),
  route<{ id: string } & Omit<IiifRequest, 'quality' | 'format'> & { file: string }>({
    method: 'get',
    path: `${PREFIX}/{id}/{region}/{size}/{rotation}/{file}`,
    access: 'public',
    summary: 'A part of a picture in a size, turned, in a quality and format (IIIF Image API 3.0)',
    params: Joi.object({
      id: idSchema.required(),
      region: part('full, square, x,y,w,h or pct:x,y,w,h'),
      size: part('max, w,h, w, or ,h or !w,h or pct:n; ^ before it enlarges'),
      rotation: part('degrees clockwise; ! before it mirrors'),
      file: part('quality and format: default.jpg'),
    }),
    answers: {
      200: { description: 'The picture', contentType: 'image/*' },
      304: { description: 'Unchanged' },
    },
    async handle({ app, params: { id, region, size, rotation, file }, req, res }) {
      const { asset, size: whole } = await readPicture(app, id);
      allowAll(res);
      const dot = file.lastIndexOf('.');
      const [quality, format] = dot < 0 ? [file, ''] : [file.slice(0, dot), file.slice(dot + 1)];
      const read = readIiifRequest({ region, size, rotation, quality, format }, whole);
      if (!read.ok)
        throw new UniferumError('malformed-request', `The ${read.part} can't be had: ${read.reason}.`, {
          errors: [{ field: read.part, code: 'iiif', message: read.reason }],
        });
      const { image } = read;
      const made = await picture(app, asset, {
        steps: iiifSteps(image),
        output: { format: FORMATS[image.format], quality: QUALITY, metadata: 'none', animation: 'first' },
      });
      res.setHeader(
        'Link',
        `<${baseOf(app, id)}/${image.canonical}>;rel="canonical", <${LEVEL_2}>;rel="profile"`,
      );
      return sendContent(req, res, app.store, {
        sha256: made.sha256,
        bytes: made.bytes,
        mime: made.mime,
        name: `${asset.address_stem}.${image.format}`,
        modifiedAt: asset.updated_at,
        asAttachment: false,
        cacheControl: CACHE_CONTROL,
      });
    },
  }),
];

/** @throws UniferumError `not-found` when it is no picture, or in the bin */
async function readPicture(
  app: App,
  id: string,
): Promise<{ asset: AssetRow; size: { width: number; height: number } }> {
  const asset = await findAsset(app.db, id);
  const isPicture = asset?.live === 1 && (asset.kind === 'image' || asset.kind === 'vector');
  if (!isPicture || asset.width === null || asset.height === null) throw notFound(`The picture ${id}`);
  return { asset, size: { width: asset.width, height: asset.height } };
}

function baseOf(app: App, id: string): string {
  return `${app.config.publicUrl}${PREFIX}/${id}`;
}

/** Viewers are on other sites. Source: section 7, CORS. */
function allowAll(res: Response): void {
  res.setHeader('Access-Control-Allow-Origin', '*');
  res.setHeader('Cross-Origin-Resource-Policy', 'cross-origin');
}
