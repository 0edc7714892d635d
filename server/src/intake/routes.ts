import { originalAddress } from '@uniferum/core/library';
import Joi from 'joi';
import { assetSchemaOf } from '../library/asset-schemas.js';
import type { Joints } from '../library/joints.js';
import { cutPage, readCursor } from '../shared/cursor.js';
import { notFound } from '../shared/errors.js';
import { isJson } from '../shared/json-body.js';
import type { Principal } from '../shared/principal.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import {
  answer,
  folderPathSchema,
  idSchema,
  pageOf,
  pagingSchemas,
  verdictSchema,
} from '../shared/schemas.js';
import type { Services } from '../shared/services.js';
import { checkRoutes } from './check-routes.js';
import { countIntakes, findIntake, insertIntake, listIntakeFiles, listIntakes } from './queries.js';
import { reportRoute } from './report-route.js';
import { resumableRoutes } from './resumable.js';
import { intakeFileSchema, intakeSchema } from './schemas.js';
import { answerSource, sourceSchema } from './source.js';
import { uploadTokenRoute } from './token-route.js';
import { type ToolsFor, tokenOf } from './tools.js';
import { answerUpload } from './upload.js';
import { intakeWayRoutes } from './ways-routes.js';

/** A data URI of a few megabytes. */
const MAX_SOURCE_BYTES = 4_200_000;
const params = Joi.object({ id: idSchema.required() });

// biome-ignore lint/complexity/noExcessiveLinesPerFunction: a table of routes, each of which stands on its own
export function intakeRoutes(toolsFor: ToolsFor, joints: Joints): Route[] {
  const assetSchema = assetSchemaOf(joints);
  const toolsOf = (services: Services, who: Principal) => {
    const token = tokenOf(who);
    return { ...toolsFor(services), ...(token && { token }) };
  };
  return [
    ...resumableRoutes(toolsFor),
    ...intakeWayRoutes(toolsFor),
    reportRoute,
    ...checkRoutes,
    uploadTokenRoute,
    route({
      method: 'post',
      path: `${API_BASE}/assets`,
      access: 'library:write',
      summary: 'Upload files; each gets a verdict',
      // Described apart: few generators of clients understand two types of body for one operation.
      description: 'A JSON body is accepted too: that of `POST /api/v1/assets/from-address`.',
      tokenFolder: () => null,
      ownIdempotency: true,
      maxBodyBytes: MAX_SOURCE_BYTES,
      takesJson: true,
      multipart: Joi.object({
        folder: Joi.string().description(
          'the path of the folder; made when it is missing; it may come again before other files',
        ),
        unpack: Joi.boolean().description('true unpacks the archive that follows; answers 202 with its run'),
        ownFolder: Joi.boolean().description('true unpacks into a folder named like the archive'),
        intake: Joi.string().description(
          'the intake to which the files belong; one is begun when it is absent',
        ),
        rename: Joi.boolean().description(
          'false refuses a file whose name is taken, which is renamed otherwise; for the files that follow',
        ),
        title: Joi.string(),
        alt: Joi.string(),
        caption: Joi.string(),
        credit: Joi.string(),
        keywords: Joi.string().description('separated by commas'),
        file: Joi.binary().required().description('one or more'),
      }),
      answers: {
        201: { description: 'One file was uploaded and stored', schema: assetSchema },
        202: {
          description: 'An archive is being unpacked',
          schema: answer({ intake: idSchema, run: idSchema }),
        },
        207: {
          description: 'Several files were sent: what came of each',
          schema: Joi.object({
            results: Joi.array()
              .items(
                Joi.object({
                  name: Joi.string().required(),
                  status: Joi.number().integer().required(),
                  asset: assetSchema,
                  verdict: verdictSchema,
                }),
              )
              .required(),
          }),
        },
      },
      async handle({ services, idempotency, who, req }) {
        const asking = { who, req, idempotency };
        const tools = toolsOf(services, who);
        return isJson(req) ? answerSource(tools, asking) : answerUpload(tools, asking);
      },
    }),
    route({
      method: 'post',
      path: `${API_BASE}/assets/from-address`,
      access: 'library:write',
      summary: 'Import one file from an address or a data URI',
      tokenFolder: () => null,
      ownIdempotency: true,
      maxBodyBytes: MAX_SOURCE_BYTES,
      body: sourceSchema,
      answers: { 201: { description: 'The file was stored', schema: assetSchema } },
      handle: ({ services, idempotency, who, req }) =>
        answerSource(toolsOf(services, who), { who, req, idempotency }),
    }),
    route<object, { limit: number; cursor?: string }>({
      method: 'get',
      path: `${API_BASE}/intakes`,
      access: 'library:read',
      summary: 'List intakes, newest first',
      query: Joi.object(pagingSchemas),
      answers: { 200: { description: 'A page of intakes', schema: pageOf(intakeSchema) } },
      async handle({ services, query: { limit, cursor } }) {
        const before = cursor === undefined ? null : Number(readCursor(cursor, 1)[0]);
        const page = cutPage(await listIntakes(services.db, { limit, before }), limit, ({ id }) => [
          Number(id),
        ]);
        return {
          status: 200,
          body: { items: page.rows, total: await countIntakes(services.db), next: page.next },
        };
      },
    }),
    route<object, object, { folder: string }>({
      method: 'post',
      path: `${API_BASE}/intakes`,
      access: 'library:write',
      summary: 'Start an intake for several uploads',
      body: Joi.object({ folder: folderPathSchema.required() }).example({ folder: '/lights' }),
      answers: { 201: { description: 'The intake', schema: intakeSchema } },
      async handle({ services, who, body: { folder } }) {
        const id = await insertIntake(services.db, {
          folder,
          by: who.name,
          principal: who.ref,
          via: who.kind === 'user' ? 'console' : 'api',
        });
        return { status: 201, body: await findIntake(services.db, id) };
      },
    }),
    route<{ id: string }>({
      method: 'get',
      path: `${API_BASE}/intakes/{id}`,
      access: 'library:read',
      summary: 'Get an intake',
      params,
      answers: { 200: { description: 'The intake', schema: intakeSchema } },
      async handle({ services, params: { id } }) {
        const intake = await findIntake(services.db, id);
        if (intake === null) throw notFound(`Intake ${id}`);
        return { status: 200, body: intake };
      },
    }),
    route<{ id: string }, { limit: number; cursor?: string }>({
      method: 'get',
      path: `${API_BASE}/intakes/{id}/files`,
      access: 'library:read',
      summary: 'List the files of an intake with their verdicts',
      params,
      query: Joi.object(pagingSchemas),
      answers: { 200: { description: 'A page of files', schema: pageOf(intakeFileSchema) } },
      async handle({ services, params: { id }, query: { limit, cursor } }) {
        const intake = await findIntake(services.db, id);
        if (intake === null) throw notFound(`Intake ${id}`);
        const after = cursor === undefined ? 0 : Number(readCursor(cursor, 1)[0]);
        const page = cutPage(await listIntakeFiles(services.db, id, { limit, after }), limit, (file) => [
          Number(file.id),
        ]);
        const items = page.rows.map(({ asset, ...file }) => ({
          ...file,
          asset: asset && {
            id: asset.id,
            name: asset.name,
            url: services.config.mediaUrl + originalAddress(asset.folder, asset.name),
          },
        }));
        return {
          status: 200,
          body: { items, total: intake.accepted + intake.warned + intake.refused, next: page.next },
        };
      },
    }),
  ];
}
