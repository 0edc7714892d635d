import type { SourceKind } from '@uniferum/core/pages';
import Joi from 'joi';
import { recordEvent } from '../events/outbox.js';
import type { Inspector } from '../inspection/inspector.js';
import { answerRun } from '../runs/answer.js';
import { runSchema } from '../runs/schemas.js';
import type { Config } from '../shared/config.js';
import { type Executor, inTransaction, isoTimeOrNull } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, idSchema, pageOf, stepsSchema } from '../shared/schemas.js';
import { sealSecret } from '../shared/secrets.js';
import { beginCrawl } from './crawl.js';
import { sourceChanged, sourceDeleted } from './events.js';
import { beginIndex, removeDocuments, requireSource } from './index-source.js';
import { testSource } from './open-source.js';
import { settingsSchema, sourceBody, sourcePatch, sourceSchema } from './page-schemas.js';
import { isWritable, type PageSource } from './source.js';
import {
  deleteSource,
  findSource,
  insertSource,
  listSources,
  readFigures,
  type SourceFigures,
  updateSource,
} from './source-queries.js';

interface Id {
  id: string;
}
const params = Joi.object({ id: idSchema.required() });
type SourceBody = Pick<PageSource, 'kind' | 'name' | 'settings'> & { secret?: string | null };

const NOTHING: SourceFigures = { documents: 0, references: 0, broken: 0 };

function toAnswer(source: PageSource, figures = NOTHING) {
  const { id, kind, name, settings, secretSetAt, indexedAt } = source;
  return {
    id,
    kind,
    name,
    settings,
    secretSetAt: isoTimeOrNull(secretSetAt),
    writable: isWritable(source),
    ...figures,
    indexedAt: isoTimeOrNull(indexedAt),
  };
}

/** An empty password is none; one that isn't given stays. */
function sealed(config: Pick<Config, 'masterKey'>, secret: string | null | undefined) {
  if (secret === undefined) return {};
  return { secret: secret === null || secret === '' ? null : sealSecret(config, secret) };
}

/** Checks settings as those of a new source are. @throws UniferumError `malformed-request` */
function readSettings(kind: SourceKind, settings: unknown): PageSource['settings'] {
  const { value, error } = settingsSchema(kind).validate(settings, { abortEarly: false });
  if (!error) return value;
  throw new UniferumError('malformed-request', `The settings are invalid: ${error.message}.`, {
    errors: error.details.map(({ path, type, message }) => ({
      ...{ field: ['settings', ...path].join('.'), code: type, message },
    })),
  });
}

async function readAnswer(db: Executor, source: PageSource) {
  return toAnswer(source, (await readFigures(db)).get(source.id));
}

export const sourceRoutes: Route[] = [
  route({
    method: 'get',
    path: `${API_BASE}/sources`,
    access: 'pages:read',
    summary: 'List page sources by name, with the number of their documents and references',
    answers: { 200: { description: 'All sources', schema: pageOf(sourceSchema) } },
    async handle({ services: { db } }) {
      const [sources, figures] = [await listSources(db), await readFigures(db)];
      const items = sources.map((source) => toAnswer(source, figures.get(source.id)));
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  }),
  route<object, object, SourceBody>({
    method: 'post',
    path: `${API_BASE}/sources`,
    access: 'pages:write',
    summary: 'Add a page source; index it to find where files are used',
    body: sourceBody,
    answers: { 201: { description: 'The source', schema: sourceSchema } },
    async handle({ services: { db, config }, who, body: { secret, ...source } }) {
      const id = await inTransaction(db, async (tx) => {
        const inserted = await insertSource(tx, { ...source, ...sealed(config, secret) });
        const data = { id: inserted, name: source.name };
        await recordEvent(tx, { event: sourceChanged, by: who.name, data });
        return inserted;
      });
      return { status: 201, body: toAnswer(await requireSource(db, id)) };
    },
  }),
  route<Id>({
    method: 'get',
    path: `${API_BASE}/sources/{id}`,
    access: 'pages:read',
    summary: 'Get a page source',
    params,
    answers: { 200: { description: 'The source', schema: sourceSchema } },
    async handle({ services: { db }, params: { id } }) {
      return { status: 200, body: await readAnswer(db, await requireSource(db, id)) };
    },
  }),
  route<Id, object, Partial<SourceBody>>({
    method: 'patch',
    path: `${API_BASE}/sources/{id}`,
    access: 'pages:write',
    summary: 'Rename a page source or change its settings; index it afterwards',
    params,
    body: sourcePatch,
    answers: { 200: { description: 'The source as it is now', schema: sourceSchema } },
    async handle({ services: { db, config }, who, params: { id }, body: { name, settings, secret } }) {
      await inTransaction(db, async (tx) => {
        const source = await findSource(tx, id, { lock: true });
        if (source === null) return;
        const next = {
          name: name ?? source.name,
          settings: settings === undefined ? source.settings : readSettings(source.kind, settings),
          ...sealed(config, secret),
        };
        await updateSource(tx, id, next);
        await recordEvent(tx, { event: sourceChanged, by: who.name, data: { id, name: next.name } });
      });
      return { status: 200, body: await readAnswer(db, await requireSource(db, id)) };
    },
  }),
  route<Id>({
    method: 'delete',
    path: `${API_BASE}/sources/{id}`,
    access: 'pages:write',
    summary: 'Delete a page source with everything known about its documents; the documents stay',
    params,
    answers: { 204: { description: 'It is deleted' } },
    async handle({ services: { db }, who, params: { id } }) {
      const { name, kind } = await requireSource(db, id);
      if (kind === 'pages')
        throw new UniferumError('conflict', `"${name}" holds the pages that are kept here, and stays.`);
      // First, so that a run that indexes it writes nothing more.
      await inTransaction(db, async (tx) => {
        await deleteSource(tx, id);
        await recordEvent(tx, { event: sourceDeleted, by: who.name, data: { id, name } });
      });
      await removeDocuments(db, id);
      return { status: 204 };
    },
  }),
  route<Id>({
    method: 'post',
    path: `${API_BASE}/sources/{id}/test`,
    access: 'pages:write',
    summary: 'Test a page source step by step; the first failing step says what to do',
    params,
    answers: { 200: { description: 'The steps', schema: stepsSchema } },
    async handle({ services: { db, config }, params: { id } }) {
      return { status: 200, body: { steps: await testSource(config, await requireSource(db, id)) } };
    },
  }),
];

export function indexRoute(inspector: Inspector): Route {
  return route<Id>({
    method: 'post',
    path: `${API_BASE}/sources/{id}/index`,
    access: 'pages:write',
    summary:
      'Read the documents of a source that have changed, or the pages of a site, and find where files are used',
    params,
    answers: { 202: { description: 'The run that does it', schema: answer({ run: runSchema }) } },
    async handle({ services, who, params: { id } }) {
      const source = await requireSource(services.db, id);
      const run =
        source.kind === 'site'
          ? await beginCrawl(services.db, source, who.name)
          : await beginIndex({ ...services, inspector }, source, who.name);
      return answerRun(services, run);
    },
  });
}
