import type { CopyAnswer, FolderPlacement, StorePrices } from '@uniferum/core/copies';
import { originalAddress, renditionAddress } from '@uniferum/core/library';
import Joi from 'joi';
import { findCopies } from '../library/blob-queries.js';
import { findWithholding } from '../library/folder-access.js';
import type { Joints } from '../library/joints.js';
import { fileEnd } from '../recipes/file-end.js';
import { rehearsable, runAnswer, selectSchema } from '../recipes/rendition-schemas.js';
import { answerRun } from '../runs/answer.js';
import { isoTimeOrNull } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema, pageOf } from '../shared/schemas.js';
import type { Services } from '../shared/services.js';
import { beginCopies, beginPlacing, type CopyWish, rehearseCopies } from './begin-copies.js';
import { findDiscardedOf } from './copy-queries.js';
import { estimatePlacement, putPlacement, readPlacement } from './placements.js';
import { type AssetFile, readCopies } from './read-copies.js';
import {
  copyPlanSchema,
  copySchema,
  placementBody,
  placementQuery,
  placementSchema,
  placingPlanSchema,
} from './schemas.js';
import { describeStores, publicAddress } from './store-facts.js';
import type { CopyTools } from './upload.js';

interface Id {
  id: string;
}
const params = Joi.object({ id: idSchema.required() });

/** What copies need besides the services of a request. */
export type ToolsFor = (services: Services) => CopyTools & { joints: Joints };

interface PlacementQuery {
  rehearse: boolean;
  gigabyteMonth?: number;
  thousandRequests?: number;
}

function pricesOf({ gigabyteMonth, thousandRequests }: PlacementQuery): StorePrices | null {
  if (gigabyteMonth === undefined && thousandRequests === undefined) return null;
  return { gigabyteMonth: gigabyteMonth ?? 0, thousandRequests: thousandRequests ?? 0 };
}

const placementRoutes: Route[] = [
  route<Id>({
    method: 'get',
    path: `${API_BASE}/folders/{id}/placement`,
    access: 'library:read',
    summary: "Get the stores that hold copies of a folder's files, own and inherited",
    params,
    answers: { 200: { description: 'The placement', schema: placementSchema } },
    async handle({ services: { db }, params: { id } }) {
      const { placement, etag } = await readPlacement(db, id);
      return { status: 200, body: placement, headers: { ETag: etag } };
    },
  }),
  route<Id, PlacementQuery, FolderPlacement | null>({
    method: 'put',
    path: `${API_BASE}/folders/{id}/placement`,
    access: 'rules:write',
    summary: "Set the stores that hold copies of a folder's files; null takes what holds above it",
    params,
    query: placementQuery,
    body: placementBody,
    answers: {
      200: {
        description: 'The placement as it is now, and the run that applies it; or the rehearsal',
        schema: Joi.alternatives(
          answer({ placement: placementSchema, run: idSchema.allow(null) }),
          placingPlanSchema,
        ),
      },
    },
    async handle({ services: { db }, req, who, params: { id }, query, body }) {
      if (query.rehearse)
        return { status: 200, body: { plan: await estimatePlacement(db, id, body, pricesOf(query)) } };
      let run: string | null = null;
      await putPlacement(db, id, body, {
        by: who.name,
        ifMatch: req.get('if-match'),
        apply: async (tx, { path }) => {
          run = await beginPlacing(tx, path, who.name);
        },
      });
      const { placement, etag } = await readPlacement(db, id);
      return { status: 200, body: { placement, run }, headers: { ETag: etag } };
    },
  }),
];

/** Where files are placed, and their copies. */
export function copyRoutes(toolsFor: ToolsFor): Route[] {
  return [
    ...placementRoutes,
    route<Id>({
      method: 'get',
      path: `${API_BASE}/assets/{id}/copies`,
      access: 'library:read',
      summary: "List the copies of an asset's versions and renditions in all stores",
      params,
      answers: { 200: { description: 'All copies', schema: pageOf(copySchema) } },
      async handle({ services, params: { id } }) {
        const items = await listCopies(services, id);
        return { status: 200, body: { items, total: items.length, next: null } };
      },
    }),
    route<object, { rehearse: boolean }, CopyWish>({
      method: 'post',
      path: `${API_BASE}/copies`,
      access: 'library:write',
      summary: 'Add, drop or fetch copies of selected assets; the last good copy is never dropped',
      query: rehearsable,
      maxBodyBytes: 2_500_000,
      body: Joi.object({
        select: selectSchema.required(),
        store: Joi.string().trim().min(1).max(40).required(),
        action: Joi.string()
          .valid('add', 'drop', 'fetch')
          .required()
          .description('fetch: bring them back to the home store, from whichever store has them'),
      }).example({ select: { q: 'kind:image' }, store: 'bucket', action: 'add' }),
      answers: { 200: { description: 'What would be done', schema: copyPlanSchema }, 202: runAnswer },
      async handle({ services, who, query, body }) {
        const tools = toolsFor(services);
        if (query.rehearse) return { status: 200, body: { plan: await rehearseCopies(tools, body) } };
        return answerRun(services, await beginCopies(tools, body, who.name));
      },
    }),
  ];
}

/** @throws UniferumError `not-found` */
async function listCopies({ db, store, config }: Services, id: string): Promise<CopyAnswer[]> {
  const [asset] = await readCopies(db, store.name, [Number(id)]);
  if (!asset) throw notFound(`Asset ${id}, or files of it`);
  const facts = await describeStores(db);
  const isWithheld = (await findWithholding(db, [asset.row])).size > 0;
  const { row, files, isPrivate } = asset;
  const homeAccess = isPrivate ? 'private' : 'public';
  const keys = new Map(
    (
      await findCopies(
        db,
        files.map(({ sha256 }) => sha256),
      )
    )
      .filter((copy) => copy.store === store.name)
      .map((copy) => [copy.sha256, copy]),
  );
  const isCurrent = ({ recipe, sha256 }: AssetFile) => recipe !== null || sha256 === row.sha256;
  const atHome = files.flatMap((file): CopyAnswer[] => {
    const kept = keys.get(file.sha256);
    if (!kept) return [];
    return [
      {
        ...{ store: store.name, rendition: renditionName(file), version: file.version },
        state: kept.damaged_at === null ? 'stored' : 'damaged',
        bytes: file.bytes,
        ...{ bucket: config.home?.settings.bucket ?? null, region: config.home?.settings.region ?? null },
        ...{ key: kept.store_key, access: homeAccess, checkedAt: null, error: null },
        url: isCurrent(file) ? config.mediaUrl + addressOf(file, row) : null,
      },
    ];
  });
  const versions = new Map(files.map(({ sha256, version }) => [sha256, version]));
  const elsewhere = asset.rows.flatMap((copy): CopyAnswer[] => {
    const about = facts.get(copy.store_id);
    if (!about) return [];
    return [
      {
        ...{ store: about.store.name, rendition: renditionName(copy), state: copy.state, bytes: copy.bytes },
        version: copy.recipe === '' ? (versions.get(copy.sha256) ?? null) : null,
        ...{ bucket: about.settings.bucket, region: about.settings.region, key: copy.store_key },
        access: about.publicUrl === null ? 'private' : 'public',
        url: copy.recipe === '' && isWithheld ? null : publicAddress(about, copy.store_key),
        ...{ checkedAt: isoTimeOrNull(copy.checked_at), error: copy.error },
      },
    ];
  });
  const leaving = (await findDiscardedOf(db, [row.id])).flatMap((object): CopyAnswer[] => {
    const about = facts.get(object.store_id);
    if (!about) return [];
    return [
      {
        ...{ store: about.store.name, rendition: renditionName(object), version: null, state: 'removing' },
        ...{ bytes: object.bytes, bucket: about.settings.bucket, region: about.settings.region },
        ...{ key: object.store_key, access: about.publicUrl === null ? 'private' : 'public' },
        ...{ url: null, checkedAt: null, error: null },
      },
    ];
  });
  return [...atHome, ...elsewhere, ...leaving];
}

function renditionName({ recipe, variant }: { recipe: string | null; variant: string }): string | null {
  if (recipe === null || recipe === '') return null;
  return variant === '' ? recipe : `${recipe}.${variant}`;
}

function addressOf(
  file: AssetFile,
  { folder_path, name, address_stem }: { folder_path: string; name: string; address_stem: string },
): string {
  return file.recipe === null
    ? originalAddress(folder_path, name)
    : renditionAddress(folder_path, address_stem, file.recipe, fileEnd(file));
}
