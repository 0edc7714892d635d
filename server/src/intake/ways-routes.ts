import { MANIFEST_FIELDS, type ManifestMapping } from '@uniferum/core/intake';
import {
  DEFAULT_MAPPING,
  EMBEDDED_FIELDS,
  type EmbeddedField,
  MAPPED_TEXTS,
  type MappedText,
  type MetadataMapping,
  mayFill,
  originalAddress,
} from '@uniferum/core/library';
import Joi from 'joi';
import { recordEvent } from '../events/outbox.js';
import { settingsChanged } from '../library/events.js';
import { readMapping, writeMapping } from '../library/settings-queries.js';
import { answerRun } from '../runs/answer.js';
import { runSchema } from '../runs/schemas.js';
import type { Answer } from '../shared/answer.js';
import { inTransaction } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, folderPathSchema, idSchema, pageOf, verdictSchema } from '../shared/schemas.js';
import type { Services } from '../shared/services.js';
import { type BegunBatch, fetchAddresses } from './batches.js';
import { INBOX_STATES, type InboxFile, scanInbox } from './inbox.js';
import { findIntake } from './queries.js';
import { type InboxRequest, planInbox, registerInbox } from './register-inbox.js';
import { intakeSchema } from './schemas.js';
import { rehearseManifest, takeManifestIn } from './take-manifest-in.js';
import type { ToolsFor } from './tools.js';

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

/** Answers with the batch and the run that processes it. */
async function answerBatch(services: Services, { intake, run }: BegunBatch): Promise<Answer> {
  const batch = await findIntake(services.db, intake);
  if (batch === null) throw notFound(`Intake ${intake}`);
  return answerRun(services, run, { intake: batch });
}

function inboxRoutes(toolsFor: ToolsFor): Route[] {
  return [
    route<object, { folder: string; keepFolders: boolean }>({
      method: 'get',
      path: `${API_BASE}/inbox`,
      access: 'library:read',
      summary: 'List the files in the inbox and their states',
      query: Joi.object({
        folder: folderPathSchema.default('/').description('where it would go'),
        keepFolders: Joi.boolean().default(true).description('folders of the inbox become folders there'),
      }),
      answers: { 200: { description: 'All files, by path', schema: pageOf(inboxFileSchema) } },
      async handle({ services, query }) {
        const items = await scanInbox(toolsFor(services), { ...query, nowMs: Date.now() });
        return {
          status: 200,
          body: {
            items: items.map((file) => toInboxAnswer(services, file)),
            total: items.length,
            next: null,
          },
        };
      },
    }),
    route<object, { rehearse: boolean }, InboxRequest>({
      method: 'post',
      path: `${API_BASE}/inbox/register`,
      access: 'library:write',
      summary: 'Import files from the inbox: copy, move, or import in place',
      query: rehearsable,
      maxBodyBytes: 16_000_000,
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
      async handle({ services, who, query, body }) {
        if (query.rehearse) {
          const plan = await planInbox(toolsFor(services), body);
          return {
            status: 200,
            body: { plan: { ...plan, items: plan.items.map((file) => toInboxAnswer(services, file)) } },
          };
        }
        const batch = await registerInbox(toolsFor(services), who, body);
        return batch === null
          ? { status: 200, body: { intake: null, run: null } }
          : answerBatch(services, batch);
      },
    }),
  ];
}

function toInboxAnswer({ config }: Services, { mtimeMs, registeredAs, ...file }: InboxFile) {
  const at = registeredAs?.path.lastIndexOf('/') ?? 0;
  return {
    ...file,
    modifiedAt: new Date(mtimeMs).toISOString(),
    registeredAs: registeredAs && {
      id: registeredAs.id,
      url:
        config.mediaUrl +
        originalAddress(registeredAs.path.slice(0, at) || '/', registeredAs.path.slice(at + 1)),
    },
  };
}

interface ManifestBody {
  content: string;
  folder: string;
  label?: string | null;
  mapping?: ManifestMapping | null;
}

// biome-ignore lint/complexity/noExcessiveLinesPerFunction: a table of routes, each of which stands on its own
function listRoutes(toolsFor: ToolsFor): Route[] {
  return [
    route<object, object, { folder: string; addresses: string[] }>({
      method: 'post',
      path: `${API_BASE}/intake/addresses`,
      access: 'library:write',
      summary: 'Import files from a list of URLs or data URIs',
      maxBodyBytes: 33_000_000,
      body: Joi.object({
        folder: folderPathSchema.required(),
        addresses: Joi.array().items(Joi.string().trim().min(1).max(2_000_000)).min(1).max(10_000).required(),
      }).example({ folder: '/lights', addresses: ['https://skerry.example/dusk.jpg'] }),
      answers: { 202: { description: 'The batch and its run', schema: begunSchema } },
      handle: async ({ services, who, body }) =>
        answerBatch(services, await fetchAddresses(toolsFor(services), who, body)),
    }),
    route<object, { rehearse: boolean }, ManifestBody>({
      method: 'post',
      path: `${API_BASE}/intake/manifest`,
      access: 'library:write',
      summary:
        'Take in what a manifest lists: a table or JSON with paths or addresses, folders, texts, dates, keywords',
      query: rehearsable,
      maxBodyBytes: 33_000_000,
      atOnce: 2,
      body: Joi.object({
        content: Joi.string()
          .min(1)
          .max(30_000_000)
          .required()
          .description('CSV with a head, or a JSON list of objects'),
        folder: folderPathSchema.default('/').description('for rows that name none'),
        label: Joi.string().max(200).allow(null).default(null),
        mapping: Joi.object(mappingFields)
          .allow(null)
          .default(null)
          .description('null takes the proposed one'),
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
      async handle({ services, who, query, body }) {
        const request = { ...body, label: body.label ?? null, mapping: body.mapping ?? null };
        if (!query.rehearse)
          return answerBatch(services, await takeManifestIn(toolsFor(services), who, request));
        const plan = await rehearseManifest(toolsFor(services), request);
        return {
          status: 200,
          body: {
            plan: {
              items: plan.rows,
              totals: { rows: plan.total, taken: plan.taken, faults: plan.faulty },
              columns: plan.columns,
              mapping: plan.mapping,
              faults: plan.faults,
            },
          },
        };
      },
    }),
  ];
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
).example(DEFAULT_MAPPING);

const mappingRoutes: Route[] = [
  route({
    method: 'get',
    path: `${API_BASE}/settings/metadata`,
    access: 'library:read',
    summary: 'Get the mapping of Exif, IPTC and XMP fields to texts',
    answers: { 200: { description: 'The mapping', schema: mappingSchema } },
    handle: async ({ services }) => ({ status: 200, body: await readMapping(services.db) }),
  }),
  route<object, object, Record<MappedText, EmbeddedField[]>>({
    method: 'put',
    path: `${API_BASE}/settings/metadata`,
    access: 'rules:write',
    summary: 'Set the mapping of metadata fields to texts for files that arrive from now on',
    body: mappingSchema,
    answers: { 200: { description: 'The mapping', schema: mappingSchema } },
    async handle({ services, who, body }) {
      await inTransaction(services.db, async (tx) => {
        await writeMapping(tx, body satisfies MetadataMapping, who.name);
        await recordEvent(tx, { event: settingsChanged, by: who.name, data: { setting: 'metadata' } });
      });
      return { status: 200, body };
    },
  }),
];

/** The routes by which files are imported without being uploaded in a request. */
export function intakeWayRoutes(toolsFor: ToolsFor): Route[] {
  return [...inboxRoutes(toolsFor), ...listRoutes(toolsFor), ...mappingRoutes];
}
