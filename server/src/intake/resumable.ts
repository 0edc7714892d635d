import { AsyncLocalStorage } from 'node:async_hooks';
import { join } from 'node:path';
import { FileStore } from '@tus/file-store';
import { Server, type Upload } from '@tus/server';
import { type AssetTexts, parseFolderPath, type Verdict } from '@uniferum/core';
import Joi from 'joi';
import type { Principal } from '../access/principal.js';
import type { App } from '../app.js';
import { inTransaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { type Answer, API_BASE, type Route, type RouteContext, route } from '../shared/route.js';
import { answer, idSchema, verdictSchema } from '../shared/schemas.js';
import { openIntake } from './batches.js';
import { ownsIntake } from './queries.js';
import { receiveStaged, takeIn } from './take-in.js';
import { unpackArchive } from './unpack-archive.js';
import { findUpload, insertUpload, lockUpload, updateUploadResult } from './upload-queries.js';

const PATH = `${API_BASE}/uploads`;
/** An upload that nobody has continued for so long is given up. */
const ABANDONED_MS = 7 * 24 * 3_600_000;

/** What came of a resumable upload. */
export interface UploadOutcome {
  verdict: Verdict;
  asset: string | null;
  /** The batch and the run that unpack it, when it is an archive that is unpacked. */
  intake: string | null;
  run: string | null;
}

const asker = new AsyncLocalStorage<{ app: App; who: Principal }>();
const servers = new WeakMap<App, Server>();

/** The tus server of an installation (tus 1.0.0: creation, termination, expiration). */
function tusServer(app: App): Server {
  const known = servers.get(app);
  if (known) return known;
  const server = new Server({
    path: PATH,
    datastore: new FileStore({
      directory: app.store.arrivals(),
      expirationPeriodInMilliseconds: ABANDONED_MS,
    }),
    maxSize: app.config.maxUploadBytes,
    generateUrl: (_req, { id }) => `${app.config.publicUrl}${PATH}/${id}`,
    onUploadCreate: async (_req, upload) => {
      const { who } = current();
      readMetadata(upload);
      await insertUpload(app.db, upload.id, who.ref);
      return {};
    },
    onUploadFinish: async (_req, upload) => {
      await finishOnce(app, current().who, upload);
      return {};
    },
  });
  servers.set(app, server);
  return server;
}

/** Drops uploads that nobody has continued for a week. @returns how many */
export function dropAbandonedUploads(app: App): Promise<number> {
  return tusServer(app).cleanUpExpiredUploads();
}

function current(): { app: App; who: Principal } {
  const store = asker.getStore();
  if (!store) throw new Error('Expected a principal of the upload, got none');
  return store;
}

/**
 * Takes in what has arrived whole, once. When that fails its bytes stay, and asking for the result tries again.
 *
 * @returns what came of it
 */
async function finishOnce(app: App, who: Principal, upload: Upload): Promise<UploadOutcome> {
  const outcome = await inTransaction(app.db, async (tx) => {
    const earlier = await lockUpload(tx, upload.id);
    if (earlier?.result) return earlier.result;
    const came = await finishUpload(app, who, upload);
    await updateUploadResult(tx, upload.id, came);
    return came;
  });
  await tusServer(app)
    .datastore.remove(upload.id)
    .catch((error) =>
      app.log.warn({ err: error, upload: upload.id }, 'an arrival could not be cleared away'),
    );
  return outcome;
}

/** Takes in what arrived whole and could not be taken in then. @returns null when pieces are missing */
async function finishLate(app: App, who: Principal, id: string): Promise<UploadOutcome | null> {
  const upload = await tusServer(app)
    .datastore.getUpload(id)
    .catch(() => null);
  return upload && upload.offset === upload.size ? finishOnce(app, who, upload) : null;
}

async function finishUpload(app: App, who: Principal, upload: Upload): Promise<UploadOutcome> {
  const { name, folder, texts, unpack, ownFolder, intake: given } = readMetadata(upload);
  const path = join(app.store.arrivals(), upload.id);
  try {
    const staged = await app.store.adopt(path, { mode: 'link' });
    if (unpack) {
      const batch = await unpackArchive(app, who, { name, staged, folder, ownFolder });
      return { verdict: { name, outcome: 'accepted', reasons: [] }, asset: null, ...batch };
    }
    const isOwn = given !== null && (await ownsIntake(app.db, given, who.ref));
    const context = await (isOwn && given !== null
      ? {
          id: given,
          folder,
          by: who.name,
          via: who.kind === 'user' ? ('console' as const) : ('api' as const),
          way: 'resumable' as const,
        }
      : openIntake(app, who, { way: 'resumable', folder, label: name }));
    const [taken] = await takeIn(app, context, [await receiveStaged(app, { name, folder, texts }, staged)]);
    if (!taken) throw new Error('Expected a verdict of the upload, got none');
    return { verdict: taken.verdict, asset: taken.assetId, intake: context.id, run: null };
  } catch (error) {
    if (error instanceof UniferumError && error.options.verdict)
      return { verdict: error.options.verdict, asset: null, intake: null, run: null };
    throw error;
  }
}

function readMetadata({ metadata = {} }: Upload) {
  const get = (key: string) => metadata[key] ?? null;
  const name = get('filename') ?? get('name');
  const refuse = (message: string) => ({ status_code: 400, body: `${message}\n` });
  if (!name) throw refuse('Upload-Metadata needs a filename.');
  const folder = parseFolderPath(get('folder') ?? '/');
  if (!folder.ok) throw refuse(`The folder can't be: ${folder.reason}.`);
  const texts: Partial<AssetTexts> = {};
  for (const field of ['title', 'alt', 'caption', 'credit'] as const) {
    const value = get(field);
    if (value) texts[field] = value.slice(0, 5000);
  }
  const keywords = get('keywords');
  if (keywords)
    texts.keywords = keywords
      .split(',')
      .map((word) => word.trim())
      .filter((word) => word !== '');
  return {
    name,
    folder: folder.path,
    texts,
    unpack: get('unpack') === 'true',
    ownFolder: get('ownFolder') === 'true',
    intake: get('intake'),
  };
}

async function handToTus({ app, who, req, res }: RouteContext<object, object, undefined>): Promise<Answer> {
  await asker.run({ app, who }, () => tusServer(app).handle(req, res));
  return { status: res.statusCode, handled: true };
}

/** Only whoever began an upload may see it or go on with it. */
async function handOwnToTus(context: RouteContext<{ id: string }, object, undefined>): Promise<Answer> {
  const { app, who, params } = context;
  if ((await findUpload(app.db, params.id, who.ref)) === null) throw notFound(`The upload ${params.id}`);
  return handToTus(context);
}

const params = Joi.object({ id: Joi.string().hex().length(32).required() });
const tus = { description: 'As tus 1.0.0 says', contentType: 'text/plain' };

export const resumableRoutes: Route[] = [
  route({
    method: 'options',
    path: PATH,
    access: 'public',
    summary: 'What of tus 1.0.0 is understood',
    answers: { 204: tus },
    handle: handToTus,
  }),
  route({
    method: 'post',
    path: PATH,
    access: 'library:write',
    summary: 'Begin a resumable upload (tus 1.0.0); Upload-Metadata holds filename, folder, texts and unpack',
    ownIdempotency: true,
    answers: { 201: tus },
    handle: handToTus,
  }),
  route<{ id: string }>({
    method: 'head',
    path: `${PATH}/{id}`,
    access: 'library:write',
    summary: 'How far a resumable upload has come',
    params,
    answers: { 200: tus },
    handle: handOwnToTus,
  }),
  route<{ id: string }>({
    method: 'patch',
    path: `${PATH}/{id}`,
    access: 'library:write',
    summary: 'Send the next piece of a resumable upload',
    params,
    answers: { 204: tus },
    handle: handOwnToTus,
  }),
  route<{ id: string }>({
    method: 'delete',
    path: `${PATH}/{id}`,
    access: 'library:write',
    summary: 'Give a resumable upload up; what came of it is dropped',
    params,
    answers: { 204: tus },
    handle: handOwnToTus,
  }),
  route<{ id: string }>({
    method: 'get',
    path: `${PATH}/{id}/result`,
    access: 'library:write',
    summary: 'What came of a resumable upload that has arrived whole',
    params,
    answers: {
      200: {
        description: 'Its verdict, and the asset or the run that unpacks it',
        schema: answer({
          verdict: verdictSchema,
          asset: idSchema.allow(null),
          intake: idSchema.allow(null),
          run: idSchema.allow(null),
        }),
      },
    },
    async handle({ app, who, params: { id } }) {
      const row = await findUpload(app.db, id, who.ref);
      if (row === null) throw notFound(`The upload ${id}`);
      const result = row.result ?? (await finishLate(app, who, id));
      if (result === null)
        throw new UniferumError('conflict', 'It has not arrived whole yet. Go on with it.');
      return { status: 200, body: result };
    },
  }),
];
