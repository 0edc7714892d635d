import { randomBytes } from 'node:crypto';
import { originalAddress, renditionAddress } from '@uniferum/core/library';
import Joi from 'joi';
import { recordEvent } from '../events/outbox.js';
import { type AssetRow, findAsset } from '../library/asset-queries.js';
import { fileEnd } from '../recipes/file-end.js';
import { findRenditions } from '../recipes/queries.js';
import { type Executor, inTransaction, isoTime } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, component, idSchema, pageOf, timeSchema } from '../shared/schemas.js';
import { linkCreated, linkDeleted } from './events.js';
import { deleteLink, insertLink, type LinkRow, listLinks } from './link-queries.js';
import { tokenDigest } from './links.js';

interface LinkBody {
  expiresIn: number;
  maxDownloads: number | null;
  rendition: string | null;
}
const TOKEN_BYTES = 24;
const YEAR_S = 365 * 86_400;
const params = Joi.object({ id: idSchema.required() });
const count = Joi.number().integer().min(0);

const linkFields = {
  id: idSchema,
  rendition: Joi.string().allow(null).description('its recipe and variant; null for the original'),
  expiresAt: timeSchema,
  maxDownloads: count.allow(null),
  downloads: count,
  madeBy: Joi.string(),
  createdAt: timeSchema,
};
const linkSchema = component('Link', answer(linkFields));

const toAnswer = (row: LinkRow) => ({
  id: String(row.id),
  rendition: row.recipe === '' ? null : row.variant === '' ? row.recipe : `${row.recipe}.${row.variant}`,
  expiresAt: isoTime(row.expires_at),
  ...{ maxDownloads: row.max_downloads, downloads: row.downloads, madeBy: row.made_by },
  createdAt: isoTime(row.created_at),
});

async function requireAsset(db: Executor, id: string): Promise<AssetRow> {
  const asset = await findAsset(db, id);
  if (asset === null || asset.live === null) throw notFound(`Asset ${id}`);
  return asset;
}

/** Links to files that expire. */
export const linkRoutes: Route[] = [
  route<{ id: string }>({
    method: 'get',
    path: `${API_BASE}/assets/{id}/links`,
    access: 'library:read',
    summary:
      "List the links to an asset's files that have not expired; their addresses are never shown again",
    params,
    answers: { 200: { description: 'The newest first', schema: pageOf(linkSchema) } },
    async handle({ services: { db }, params: { id } }) {
      await requireAsset(db, id);
      const items = (await listLinks(db, id)).map(toAnswer);
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  }),
  route<{ id: string }, object, LinkBody>({
    method: 'post',
    path: `${API_BASE}/assets/{id}/links`,
    access: 'library:write',
    summary: 'Create an address at which anybody may read a file until it expires, private ones included',
    params,
    body: Joi.object({
      expiresIn: Joi.number().integer().min(1).max(YEAR_S).default(86_400).description('seconds'),
      maxDownloads: Joi.number().integer().min(1).max(1_000_000_000).allow(null).default(null),
      rendition: Joi.string()
        .max(60)
        .allow(null)
        .default(null)
        .description('a recipe (card) or one of its sizes (card.400w.webp); null for the original'),
    }).example({ expiresIn: 3600, maxDownloads: 3 }),
    answers: {
      201: {
        description: 'The link; its address is shown only now',
        schema: answer({ ...linkFields, url: Joi.string().uri() }),
      },
    },
    async handle({ services: { db, config }, who, params: { id }, body }) {
      const asset = await requireAsset(db, id);
      const { recipe, variant, path } = await fileOf(db, asset, body.rendition);
      const token = randomBytes(TOKEN_BYTES).toString('base64url');
      const link = await inTransaction(db, async (tx) => {
        const linkId = await insertLink(tx, {
          ...{ asset: id, token: tokenDigest(token), recipe, variant, made_by: who.name },
          expires_at: new Date(Date.now() + body.expiresIn * 1000),
          max_downloads: body.maxDownloads,
        });
        const data = { id, link: String(linkId), rendition: body.rendition };
        await recordEvent(tx, { event: linkCreated, asset: id, by: who.name, data });
        return (await listLinks(tx, id)).find((one) => one.id === linkId);
      });
      if (!link) throw notFound('This link');
      return { status: 201, body: { ...toAnswer(link), url: `${config.mediaUrl}${path}?link=${token}` } };
    },
  }),
  route<{ id: string; link: string }>({
    method: 'delete',
    path: `${API_BASE}/assets/{id}/links/{link}`,
    access: 'library:write',
    summary: 'End a link before it expires',
    params: Joi.object({ id: idSchema.required(), link: idSchema.required() }),
    answers: { 204: { description: 'Its address no longer works' } },
    async handle({ services: { db }, who, params: { id, link } }) {
      await inTransaction(db, async (tx) => {
        if (!(await deleteLink(tx, id, link))) throw notFound(`Link ${link}`);
        await recordEvent(tx, { event: linkDeleted, asset: id, by: who.name, data: { id, link } });
      });
      return { status: 204 };
    },
  }),
];

/** The file that a link is for. @throws UniferumError `not-found` for a rendition that is not made */
async function fileOf(
  db: Executor,
  { id, name, folder_path, address_stem }: AssetRow,
  rendition: string | null,
): Promise<{ recipe: string; variant: string; path: string }> {
  if (rendition === null) return { recipe: '', variant: '', path: originalAddress(folder_path, name) };
  const made = (await findRenditions(db, [id])).find(
    ({ recipe, variant }) => rendition === (variant === '' ? recipe : `${recipe}.${variant}`),
  );
  if (!made || made.sha256 === null) throw notFound(`The rendition "${rendition}" of ${name}`);
  const { recipe, variant } = made;
  return { recipe, variant, path: renditionAddress(folder_path, address_stem, recipe, fileEnd(made)) };
}
