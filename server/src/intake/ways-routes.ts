import {
  EMBEDDED_FIELDS,
  type EmbeddedField,
  MANIFEST_FIELDS,
  MAPPED_TEXTS,
  type ManifestMapping,
  type MappedText,
  type MetadataMapping,
  mayFill,
  originalAddress,
} from '@uniferum/core';
import Joi from 'joi';
import Papa from 'papaparse';
import type { App } from '../app.js';
import { recordEvent } from '../hooks/outbox.js';
import { readMapping, writeMapping } from '../library/settings-queries.js';
import { answerRun } from '../runs/answer.js';
import { runSchema } from '../runs/routes.js';
import { inTransaction } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { type Answer, API_BASE, type Route, route } from '../shared/route.js';
import { answer, folderPathSchema, idSchema, pageOf, verdictSchema } from '../shared/schemas.js';
import { type BegunBatch, fetchAddresses } from './batches.js';
import { INBOX_STATES, type InboxFile, scanInbox } from './inbox.js';
import { findIntake, listIntakeFiles, type StoredIntakeFile } from './queries.js';
import { type InboxRequest, planInbox, registerInbox } from './register-inbox.js';
import { intakeSchema } from './schemas.js';
import { rehearseManifest, takeManifestIn } from './take-manifest-in.js';

const rehearsable = Joi.object({ rehearse: Joi.boolean().default(false) });

const begunSchema = answer({ intake: intakeSchema, run: runSchema });

const inboxFileSchema = answer({
  path: Joi.string(),
  name: Joi.string(),
  bytes: Joi.number().integer(),
  modifiedAt: Joi.string().isoDate(),
  folder: Joi.string(),
  state: Joi.string().valid(...INBOX_STATES),
  verdict: verdictSchema.allow(null),
  registeredAs: answer({ id: idSchema, url: Joi.string().uri() }).allow(null),
});

const mappingFields = Object.fromEntries(
  MANIFEST_FIELDS.map((field) => [field, Joi.string().max(200).description('the column that holds it')]),
);

const planSchema = (
  item: Joi.Schema,
  totals: Record<string, Joi.Schema>,
  more: Record<string, Joi.Schema> = {},
) => answer({ plan: answer({ items: Joi.array().items(item), totals: answer(totals), ...more }) });

const count = Joi.number().integer().min(0);

/** Answers with the batch and the run that works on it. */
export async function answerBatch(app: App, { intake, run }: BegunBatch): Promise<Answer> {
  const batch = await findIntake(app.db, intake);
  if (batch === null) throw notFound(`Intake ${intake}`);
  return answerRun(app, run, { intake: batch });
}

const inboxRoutes: Route[] = [
  route<object, { folder: string; keepFolders: boolean }>({
    method: 'get',
    path: `${API_BASE}/inbox`,
    access: 'library:read',
    summary: 'What lies in the inbox: what is new, registered, refused by the rules or still being written',
    query: Joi.object({
      folder: folderPathSchema.default('/').description('where it would go'),
      keepFolders: Joi.boolean().default(true).description('folders of the inbox become folders there'),
    }),
    answers: { 200: { description: 'All files, by path', schema: pageOf(inboxFileSchema) } },
    async handle({ app, query }) {
      const items = await scanInbox(app, { ...query, nowMs: Date.now() });
      return {
        status: 200,
        body: { items: items.map((file) => toInboxAnswer(app, file)), total: items.length, next: null },
      };
    },
  }),
  route<object, { rehearse: boolean }, InboxRequest>({
    method: 'post',
    path: `${API_BASE}/inbox/register`,
    access: 'library:write',
    summary: 'Take files of the inbox in: copied, moved, or registered where they lie',
    query: rehearsable,
    body: Joi.object({
      paths: Joi.array()
        .items(Joi.string().max(2000))
        .max(100_000)
        .allow(null)
        .default(null)
        .description('null takes all that is new'),
      mode: Joi.string().valid('copy', 'move', 'place').default('copy'),
      folder: folderPathSchema.default('/'),
      keepFolders: Joi.boolean().default(true),
    }).example({ paths: ['gannet/dusk.jpg'], mode: 'copy', folder: '/lights' }),
    answers: {
      200: {
        description: 'The rehearsal; or nothing was new, and nothing was done',
        schema: Joi.alternatives(
          planSchema(inboxFileSchema, { taken: count, bytes: count, left: count }),
          answer({ intake: Joi.valid(null), run: Joi.valid(null) }),
        ),
      },
      202: { description: 'The batch and its run', schema: begunSchema },
    },
    async handle({ app, who, query, body }) {
      if (query.rehearse) {
        const plan = await planInbox(app, body);
        return {
          status: 200,
          body: { plan: { ...plan, items: plan.items.map((file) => toInboxAnswer(app, file)) } },
        };
      }
      const batch = await registerInbox(app, who, body);
      return batch === null ? { status: 200, body: { intake: null, run: null } } : answerBatch(app, batch);
    },
  }),
];

function toInboxAnswer(app: App, { mtimeMs, registeredAs, ...file }: InboxFile) {
  const at = registeredAs?.path.lastIndexOf('/') ?? 0;
  return {
    ...file,
    modifiedAt: new Date(mtimeMs).toISOString(),
    registeredAs: registeredAs && {
      id: registeredAs.id,
      url:
        app.config.publicUrl +
        originalAddress(registeredAs.path.slice(0, at) || '/', registeredAs.path.slice(at + 1)),
    },
  };
}

const MAX_PLANNED = 1000;

interface ManifestBody {
  content: string;
  folder: string;
  label?: string | null;
  mapping?: ManifestMapping | null;
}

const listRoutes: Route[] = [
  route<object, object, { folder: string; addresses: string[] }>({
    method: 'post',
    path: `${API_BASE}/intake/addresses`,
    access: 'library:write',
    summary: 'Fetch a list of addresses or data URIs, each with a verdict',
    body: Joi.object({
      folder: folderPathSchema.required(),
      addresses: Joi.array().items(Joi.string().trim().min(1).max(2_000_000)).min(1).max(10_000).required(),
    }).example({ folder: '/lights', addresses: ['https://skerry.example/dusk.jpg'] }),
    answers: { 202: { description: 'The batch and its run', schema: begunSchema } },
    handle: async ({ app, who, body }) => answerBatch(app, await fetchAddresses(app, who, body)),
  }),
  route<object, { rehearse: boolean }, ManifestBody>({
    method: 'post',
    path: `${API_BASE}/intake/manifest`,
    access: 'library:write',
    summary:
      'Take in what a manifest lists: a table or JSON with paths or addresses, folders, texts, dates, keywords',
    query: rehearsable,
    body: Joi.object({
      content: Joi.string()
        .min(1)
        .max(30_000_000)
        .required()
        .description('CSV with a head, or a JSON list of objects'),
      folder: folderPathSchema.default('/').description('for rows that name none'),
      label: Joi.string().max(200).allow(null).default(null),
      mapping: Joi.object(mappingFields).allow(null).default(null).description('null takes the proposed one'),
    }).example({ content: 'path,alt\ngannet/dusk.jpg,The light at dusk\n', folder: '/lights' }),
    answers: {
      200: {
        description:
          'The rehearsal: columns, proposed mapping, what each row would take in, and what is wrong',
        schema: planSchema(
          Joi.object().unknown(),
          { rows: count, taken: count, faults: count },
          {
            columns: Joi.array().items(Joi.string()),
            mapping: Joi.object(mappingFields),
            faults: Joi.array().items(
              answer({ row: count.allow(null), column: Joi.string().allow(null), message: Joi.string() }),
            ),
          },
        ),
      },
      202: { description: 'The batch and its run', schema: begunSchema },
    },
    async handle({ app, who, query, body }) {
      const request = { ...body, label: body.label ?? null, mapping: body.mapping ?? null };
      if (!query.rehearse) return answerBatch(app, await takeManifestIn(app, who, request));
      const { table, mapping, plan } = await rehearseManifest(app, request);
      return {
        status: 200,
        body: {
          plan: {
            items: plan.rows.slice(0, MAX_PLANNED),
            totals: { rows: table.rows.length, taken: plan.rows.length, faults: plan.faults.length },
            columns: table.columns,
            mapping,
            faults: plan.faults.slice(0, MAX_PLANNED),
          },
        },
      };
    },
  }),
];

const REPORT_ROWS = 1000;

const reportRoute = route<{ id: string }, { format: 'csv' | 'json' }>({
  method: 'get',
  path: `${API_BASE}/intakes/{id}/report`,
  access: 'library:read',
  summary: 'The whole report of an intake, to be kept',
  params: Joi.object({ id: idSchema.required() }),
  query: Joi.object({ format: Joi.string().valid('csv', 'json').default('csv') }),
  answers: {
    200: { description: 'One line for each file, as a table (RFC 4180) or JSON', contentType: '*/*' },
  },
  async handle({ app, params: { id }, query: { format }, res }) {
    const intake = await findIntake(app.db, id);
    if (intake === null) throw notFound(`Intake ${id}`);
    res.attachment(`intake-${id}.${format}`);
    res.setHeader('Content-Type', format === 'csv' ? 'text/csv; charset=utf-8' : 'application/json');
    if (format === 'csv') res.write(`${Papa.unparse([REPORT_HEAD])}\r\n`);
    else res.write(`{"intake":${JSON.stringify(intake)},"files":[`);
    let after = 0;
    for (let isFirst = true; ; isFirst = false) {
      const files = await listIntakeFiles(app.db, id, { limit: REPORT_ROWS - 1, after });
      const lines = files.map((file) => toReportLine(app, file));
      if (lines.length > 0)
        res.write(
          format === 'csv'
            ? `${Papa.unparse(
                lines.map((line) => REPORT_HEAD.map((key) => line[key])),
                { escapeFormulae: true },
              )}\r\n`
            : (isFirst ? '' : ',') + lines.map((line) => JSON.stringify(line)).join(','),
        );
      if (files.length < REPORT_ROWS) break;
      after = Number(files.at(-1)?.id);
    }
    res.end(format === 'json' ? ']}\n' : undefined);
    return { status: 200, handled: true };
  },
});

const REPORT_HEAD = ['name', 'outcome', 'reasons', 'codes', 'bytes', 'asset', 'url', 'at'] as const;

function toReportLine(app: App, { verdict, bytes, asset, at }: StoredIntakeFile) {
  return {
    name: verdict.name,
    outcome: verdict.outcome,
    reasons: verdict.reasons.map(({ message }) => message).join(' '),
    codes: verdict.reasons.map(({ code }) => code).join(' '),
    bytes,
    asset: asset?.id ?? null,
    url: asset && app.config.publicUrl + originalAddress(asset.folder, asset.name),
    at,
  };
}

const mappingSchema = Joi.object(
  Object.fromEntries(
    MAPPED_TEXTS.map((text) => [
      text,
      Joi.array()
        .items(Joi.string().valid(...EMBEDDED_FIELDS.filter((field) => mayFill(text, field))))
        .unique()
        .required()
        .description('the first field that says something wins'),
    ]),
  ),
);

const mappingRoutes: Route[] = [
  route({
    method: 'get',
    path: `${API_BASE}/settings/metadata`,
    access: 'library:read',
    summary: 'Which fields of Exif, IPTC and XMP fill which texts on arrival',
    answers: { 200: { description: 'The mapping', schema: mappingSchema } },
    handle: async ({ app }) => ({ status: 200, body: await readMapping(app.db) }),
  }),
  route<object, object, Record<MappedText, EmbeddedField[]>>({
    method: 'put',
    path: `${API_BASE}/settings/metadata`,
    access: 'rules:write',
    summary: 'Set which fields fill which texts; files that arrive afterwards are read so',
    body: mappingSchema,
    answers: { 200: { description: 'The mapping', schema: mappingSchema } },
    async handle({ app, who, body }) {
      await inTransaction(app.db, async (tx) => {
        await writeMapping(tx, body satisfies MetadataMapping, who.name);
        await recordEvent(tx, { type: 'settings.changed', by: who.name, data: { setting: 'metadata' } });
      });
      return { status: 200, body };
    },
  }),
];

export const intakeWayRoutes: Route[] = [...inboxRoutes, ...listRoutes, reportRoute, ...mappingRoutes];
