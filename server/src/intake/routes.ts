import { judgeBatch, originalAddress } from '@uniferum/core';
import Joi from 'joi';
import { assetSchema } from '../library/asset-schemas.js';
import { findFolderByPath } from '../library/folder-queries.js';
import { effectiveRules } from '../rules/service.js';
import { cutPage, readCursor } from '../shared/cursor.js';
import { notFound } from '../shared/errors.js';
import { answerOnce } from '../shared/idempotency.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import {
  answer,
  folderPathSchema,
  idSchema,
  pageOf,
  pagingSchemas,
  verdictSchema,
} from '../shared/schemas.js';
import { countIntakes, findIntake, insertIntake, listIntakeFiles, listIntakes } from './queries.js';
import { resumableRoutes } from './resumable.js';
import { intakeFileSchema, intakeSchema } from './schemas.js';
import { answerSource, sourceSchema } from './source.js';
import { answerUpload } from './upload.js';
import { intakeWayRoutes } from './ways-routes.js';

const fileToCheck = Joi.object({
  name: Joi.string().min(1).max(500).required(),
  bytes: Joi.number().integer().min(0).required(),
  mime: Joi.string().max(100).allow(null),
});

interface CheckBody {
  folder: string;
  files: { name: string; bytes: number; mime?: string | null }[];
}

const params = Joi.object({ id: idSchema.required() });

export const intakeRoutes: Route[] = [
  ...resumableRoutes,
  ...intakeWayRoutes,
  route<object, object, CheckBody>({
    method: 'post',
    path: `${API_BASE}/intake/check`,
    access: 'library:read',
    summary: 'Judge files by name and size before they are sent; nothing is kept',
    body: Joi.object({
      folder: folderPathSchema.required(),
      files: Joi.array().items(fileToCheck).min(1).max(10_000).required(),
    }).example({
      folder: '/lights',
      files: [{ name: 'dusk.jpg', bytes: 2_400_000, mime: 'image/jpeg' }],
    }),
    answers: {
      200: {
        description: 'A verdict for each file, in their order',
        schema: answer({ verdicts: Joi.array().items(verdictSchema) }),
      },
    },
    async handle({ app, body: { folder, files } }) {
      const stored = await findFolderByPath(app.db, folder);
      // A browser's word on a type is a guess from the name: an empty one says nothing.
      const facts = files.map(({ name, bytes, mime }) => ({ name, bytes, mime: mime || null }));
      return {
        status: 200,
        body: {
          verdicts: judgeBatch(facts, await effectiveRules(app.db, folder), {
            path: folder,
            items: stored?.items ?? 0,
          }),
        },
      };
    },
  }),
  route({
    method: 'post',
    path: `${API_BASE}/assets`,
    access: 'library:write',
    summary: 'Take files in, each with a verdict; they are judged in their order',
    ownIdempotency: true,
    alternativeBody: sourceSchema,
    multipart: Joi.object({
      folder: Joi.string().description(
        'the path of the folder, before the files; made when it is missing; it may come again before other files',
      ),
      unpack: Joi.boolean().description('true unpacks the archive that follows; answers 202 with its run'),
      ownFolder: Joi.boolean().description('true unpacks into a folder named like the archive'),
      intake: Joi.string().description(
        'the intake to which the files belong; one is begun when it is absent',
      ),
      title: Joi.string(),
      alt: Joi.string(),
      caption: Joi.string(),
      credit: Joi.string(),
      keywords: Joi.string().description('separated by commas'),
      file: Joi.binary().required().description('one or more'),
    }),
    answers: {
      201: { description: 'One file was sent and taken in', schema: assetSchema },
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
    async handle({ app, who, req }) {
      if (!req.is('application/json')) return answerUpload(app, who, req);
      const key = req.get('idempotency-key');
      const work = () => answerSource(app, who, req.body);
      return key === undefined ? work() : answerOnce(app.db, { who, key, req, work });
    },
  }),
  route<object, { limit: number; cursor?: string }>({
    method: 'get',
    path: `${API_BASE}/intakes`,
    access: 'library:read',
    summary: 'List intakes, newest first',
    query: Joi.object(pagingSchemas),
    answers: { 200: { description: 'A page of intakes', schema: pageOf(intakeSchema) } },
    async handle({ app, query: { limit, cursor } }) {
      const before = cursor === undefined ? null : Number(readCursor(cursor, 1)[0]);
      const page = cutPage(await listIntakes(app.db, { limit, before }), limit, ({ id }) => [Number(id)]);
      return { status: 200, body: { items: page.rows, total: await countIntakes(app.db), next: page.next } };
    },
  }),
  route<object, object, { folder: string }>({
    method: 'post',
    path: `${API_BASE}/intakes`,
    access: 'library:write',
    summary: 'Begin an intake to which several uploads belong',
    body: Joi.object({ folder: folderPathSchema.required() }),
    answers: { 201: { description: 'The intake', schema: intakeSchema } },
    async handle({ app, who, body: { folder } }) {
      const id = await insertIntake(app.db, {
        folder,
        by: who.name,
        principal: who.ref,
        via: who.kind === 'user' ? 'console' : 'api',
      });
      return { status: 201, body: await findIntake(app.db, id) };
    },
  }),
  route<{ id: string }>({
    method: 'get',
    path: `${API_BASE}/intakes/{id}`,
    access: 'library:read',
    summary: 'One intake',
    params,
    answers: { 200: { description: 'The intake', schema: intakeSchema } },
    async handle({ app, params: { id } }) {
      const intake = await findIntake(app.db, id);
      if (intake === null) throw notFound(`Intake ${id}`);
      return { status: 200, body: intake };
    },
  }),
  route<{ id: string }, { limit: number; cursor?: string }>({
    method: 'get',
    path: `${API_BASE}/intakes/{id}/files`,
    access: 'library:read',
    summary: 'The files of an intake with their verdicts, in the order in which they came',
    params,
    query: Joi.object(pagingSchemas),
    answers: { 200: { description: 'A page of files', schema: pageOf(intakeFileSchema) } },
    async handle({ app, params: { id }, query: { limit, cursor } }) {
      const intake = await findIntake(app.db, id);
      if (intake === null) throw notFound(`Intake ${id}`);
      const after = cursor === undefined ? 0 : Number(readCursor(cursor, 1)[0]);
      const page = cutPage(await listIntakeFiles(app.db, id, { limit, after }), limit, (file) => [
        Number(file.id),
      ]);
      const items = page.rows.map(({ asset, ...file }) => ({
        ...file,
        asset: asset && {
          id: asset.id,
          name: asset.name,
          url: app.config.publicUrl + originalAddress(asset.folder, asset.name),
        },
      }));
      return {
        status: 200,
        body: { items, total: intake.accepted + intake.remarked + intake.refused, next: page.next },
      };
    },
  }),
];
