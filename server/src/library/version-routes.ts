import { Readable } from 'node:stream';
import type { Request } from 'express';
import Joi from 'joi';
import { examineBytes } from '../inspection/examine.js';
import type { Inspector } from '../inspection/inspector.js';
import { readMultipart } from '../inspection/multipart.js';
import type { StagedBytes } from '../shared/byte-store.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { idSchema } from '../shared/schemas.js';
import type { Services } from '../shared/services.js';
import { sendContent } from '../stores/send-content.js';
import { findAsset } from './asset-queries.js';
import { assetSchemaOf } from './asset-schemas.js';
import { readAsset } from './assets.js';
import type { Joints } from './joints.js';
import { findVersion } from './version-queries.js';
import { type Replacing, replaceContent, restoreVersion } from './versions.js';

const params = Joi.object({ id: idSchema.required() });
const versionParams = Joi.object({ id: idSchema.required(), n: Joi.number().integer().min(1).required() });

/** The routes of versions and replacement. */
export function versionRoutes(joints: Joints, inspector: Inspector): Route[] {
  const assetSchema = assetSchemaOf(joints);
  return [
    route<{ id: string }>({
      method: 'put',
      path: `${API_BASE}/assets/{id}/content`,
      access: 'library:write',
      summary: 'Replace the bytes of an asset with a new version',
      params,
      multipart: Joi.object({
        file: Joi.binary().required().description('the new bytes; or send them as the raw body'),
      }),
      answers: { 200: { description: 'The asset with its new version', schema: assetSchema } },
      async handle({ services, who, params: { id }, req }) {
        const row = await findAsset(services.db, id);
        if (row === null || row.live === null) throw notFound(`Asset ${id}`);
        const staged = await stageBody(services, req);
        const arrived = await lookAt(inspector, staged, row.name);
        await replaceContent({ ...services, joints }, id, arrived, { who, ifMatch: req.get('if-match') });
        const { asset, etag } = await readAsset({ ...services, joints }, id);
        return { status: 200, body: asset, headers: { ETag: etag } };
      },
    }),
    route<{ id: string; n: number }>({
      method: 'get',
      path: `${API_BASE}/assets/{id}/versions/{n}/content`,
      access: 'library:read',
      summary: 'Download a version',
      params: versionParams,
      answers: {
        200: { description: 'The bytes', contentType: '*/*' },
        206: { description: 'A part of them', contentType: '*/*' },
        304: { description: 'Unchanged' },
      },
      async handle({ services, params: { id, n }, req, res }) {
        const [row, version] = await Promise.all([
          findAsset(services.db, id),
          findVersion(services.db, id, n),
        ]);
        if (row === null || version === null) throw notFound(`Version ${n} of asset ${id}`);
        return sendContent(req, res, services.store, {
          sha256: version.sha256,
          bytes: version.bytes,
          mime: version.mime,
          name: row.name,
          modifiedAt: version.created_at,
          asAttachment: false,
          cacheControl: 'private, max-age=31536000, immutable',
        });
      },
    }),
    route<{ id: string; n: number }>({
      method: 'post',
      path: `${API_BASE}/assets/{id}/versions/{n}/restore`,
      access: 'library:write',
      summary: 'Restore an earlier version as a new version',
      params: versionParams,
      answers: { 200: { description: 'The asset', schema: assetSchema } },
      async handle({ services, who, params: { id, n }, req }) {
        await restoreVersion({ ...services, joints }, id, n, { who, ifMatch: req.get('if-match') });
        const { asset, etag } = await readAsset({ ...services, joints }, id);
        return { status: 200, body: asset, headers: { ETag: etag } };
      },
    }),
  ];
}

/** The body of a request as a separate stream: abandoning it keeps the connection open for the answer. */
function leavingOpen(req: Request): Readable {
  return Readable.from(req.iterator({ destroyOnReturn: false }), { objectMode: false });
}

async function stageBody(services: Services, req: Request): Promise<StagedBytes> {
  const limit = { limitBytes: services.config.maxUploadBytes };
  if (!/^multipart\/form-data\b/i.test(req.get('content-type') ?? ''))
    return services.store.stage(leavingOpen(req), limit);
  let staged: StagedBytes | null = null;
  const discard = () => (staged as StagedBytes | null)?.discard();
  try {
    await readMultipart(req, async ({ stream }) => {
      await discard();
      staged = null;
      staged = await services.store.stage(stream, limit);
    });
  } catch (error) {
    await discard();
    throw error;
  }
  if (staged === null)
    throw new UniferumError('malformed-request', 'There was no file in it. Send one part named "file".');
  return staged;
}

/** Inspects staged bytes, and discards them on failure. */
async function lookAt(inspector: Inspector, staged: StagedBytes, name: string): Promise<Replacing> {
  try {
    const { mime, size, notes, unreadable, metadataFault } = await examineBytes(inspector, staged, name);
    return {
      staged,
      orientation: size?.orientation ?? null,
      facts: {
        mime,
        ...(size && { width: size.width, height: size.height }),
        ...(unreadable !== null && { unreadable }),
        notes,
        ...(metadataFault !== null && { metadataFault }),
      },
    };
  } catch (error) {
    await staged.discard();
    throw error;
  }
}
