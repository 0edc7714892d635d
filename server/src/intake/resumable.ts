import { AsyncLocalStorage } from 'node:async_hooks';
import type { Readable } from 'node:stream';
import { FileStore } from '@tus/file-store';
import { Server, type Upload } from '@tus/server';
import { isInScope } from '@uniferum/core/access';
import { type AssetTexts, parseFolderPath, TEXT_LIMITS } from '@uniferum/core/library';
import Joi from 'joi';
import type { Answer } from '../shared/answer.js';
import type { ByteStore } from '../shared/byte-store.js';
import { notFound, UniferumError } from '../shared/errors.js';
import type { Principal } from '../shared/principal.js';
import { API_BASE, type Route, type RouteContext, route } from '../shared/route.js';
import { answer, idSchema, verdictSchema } from '../shared/schemas.js';
import { explainStoreFault } from '../stores/store-faults.js';
import { finishUpload, type UploadRequest } from './finish-upload.js';
import { asking, begun, sending, starting, tus } from './resumable-headers.js';
import { type IntakeTools, type ToolsFor, tokenOf } from './tools.js';
import { UploadLocker } from './upload-locker.js';
import type { UploadOutcome } from './upload-outcome.js';
import { findUpload, insertUpload } from './upload-queries.js';

const PATH = `${API_BASE}/uploads`;
/** An upload that has not been continued for this long is deleted. */
const ABANDONED_MS = 7 * 24 * 3_600_000;

const asker = new AsyncLocalStorage<{ tools: IntakeTools; who: Principal }>();
const servers = new WeakMap<ByteStore, Server>();

/** Stores incoming bytes; a full or missing disk is reported and not treated as a server error. */
class ArrivalStore extends FileStore {
  readonly #store: ByteStore;

  constructor(store: ByteStore) {
    super({ directory: store.arrivals(), expirationPeriodInMilliseconds: ABANDONED_MS });
    this.#store = store;
  }

  override async write(readable: Readable, id: string, offset: number): Promise<number> {
    try {
      return await super.write(readable, id, offset);
    } catch (error) {
      const state = await this.#store.check();
      if (state === 'full')
        throw {
          status_code: 507,
          body: `The store "${this.#store.name}" is full. Resume when there is space.\n`,
        };
      if (state === 'failing')
        throw { status_code: 503, body: `The store "${this.#store.name}" can't be written right now.\n` };
      throw error;
    }
  }
}

/** The installation's tus server (tus 1.0.0: creation, termination, expiration). */
function tusServer(tools: IntakeTools): Server {
  const known = servers.get(tools.store);
  if (known) return known;
  const server = new Server({
    path: PATH,
    datastore: new ArrivalStore(tools.store),
    locker: new UploadLocker(tools.db),
    maxSize: tools.config.maxUploadBytes,
    // Which pages may read its answers is decided for the whole API.
    allowedOrigins: () => false,
    generateUrl: (_req, { id }) => `${tools.config.publicUrl}${PATH}/${id}`,
    onUploadCreate: async (_req, upload) => {
      const { who } = current();
      admitByToken(who, readMetadata(upload), upload.size ?? null);
      await insertUpload(tools.db, upload.id, who.ref);
      return {};
    },
    onUploadFinish: async (_req, upload) => {
      await finish(tools, current().who, upload);
      return {};
    },
    onResponseError: (_req, error) => {
      // A failed write breaks its pipe, and then the plain disk error arrives first.
      const fault = explainStoreFault(error, tools.store.name);
      return fault instanceof UniferumError
        ? { status_code: fault.status, body: `${fault.message}\n` }
        : undefined;
    },
  });
  servers.set(tools.store, server);
  return server;
}

/** Deletes uploads that were started more than a week ago and never completed. @returns how many */
export function dropAbandonedUploads(tools: IntakeTools): Promise<number> {
  return tusServer(tools).cleanUpExpiredUploads();
}

function current(): { tools: IntakeTools; who: Principal } {
  const store = asker.getStore();
  if (!store) throw new Error('Expected a principal of the upload, got none');
  return store;
}

async function finish(tools: IntakeTools, who: Principal, upload: Upload): Promise<UploadOutcome> {
  const token = tokenOf(who);
  const withLimits = token ? { ...tools, token } : tools;
  const outcome = await finishUpload(withLimits, who, upload.id, readMetadata(upload));
  await tusServer(tools)
    .datastore.remove(upload.id)
    .catch((error) =>
      tools.log.warn({ err: error, upload: upload.id }, 'an arrival could not be cleared away'),
    );
  return outcome;
}

/**
 * Imports an upload that is complete but could not be imported at the time.
 *
 * @throws UniferumError `conflict` when pieces are missing, `not-found` when it was cancelled or has expired
 */
async function finishLate(tools: IntakeTools, who: Principal, id: string): Promise<UploadOutcome> {
  const upload = await tusServer(tools)
    .datastore.getUpload(id)
    .catch((error) => {
      if (error.status_code === 404 || error.status_code === 410) return null;
      throw error;
    });
  if (upload === null) {
    // Its bytes go as soon as its result is recorded.
    const result = (await findUpload(tools.db, id, who.ref))?.result;
    if (result) return result;
    throw new UniferumError(
      'not-found',
      `The upload ${id} was cancelled, or expired a week after it was started. Start it again.`,
    );
  }
  if (upload.offset !== upload.size)
    throw new UniferumError('conflict', 'The upload is not complete yet. Resume it.');
  return finish(tools, who, upload);
}

/** What a token does not allow is refused before anything is sent. */
function admitByToken({ scope }: Principal, { folder, unpack }: UploadRequest, bytes: number | null): void {
  if (!scope) return;
  const refuse = (status_code: number, message: string) => ({ status_code, body: `${message}\n` });
  if (!isInScope(scope, folder))
    throw refuse(403, `This token is for ${scope.folder}, and not for ${folder}.`);
  if (unpack) throw refuse(403, "A token can't be used to unpack archives.");
  if (scope.maxBytes !== null && bytes !== null && bytes > scope.maxBytes)
    throw refuse(413, `The token allows files of up to ${scope.maxBytes} bytes; this one has ${bytes}.`);
}

function readMetadata({ metadata = {} }: Upload): UploadRequest {
  const get = (key: string) => metadata[key] ?? null;
  const name = get('filename') ?? get('name');
  const refuse = (message: string) => ({ status_code: 400, body: `${message}\n` });
  if (!name) throw refuse('Upload-Metadata needs a filename.');
  const folder = parseFolderPath(get('folder') ?? '/');
  if (!folder.ok) throw refuse(`The folder is invalid: ${folder.reason}.`);
  const texts: Partial<AssetTexts> = {};
  for (const field of ['title', 'alt', 'caption', 'credit'] as const) {
    const value = get(field);
    if (value) texts[field] = value;
  }
  const keywords = get('keywords');
  if (keywords)
    texts.keywords = keywords
      .split(',', TEXT_LIMITS.keywords + 1)
      .map((word) => word.trim())
      .filter((word) => word !== '');
  return {
    name,
    folder: folder.path,
    texts,
    unpack: get('unpack') === 'true',
    ownFolder: get('ownFolder') === 'true',
    mustKeepName: get('rename') === 'false',
    intake: get('intake'),
  };
}

async function handToTus(
  tools: IntakeTools,
  { who, req, res }: RouteContext<object, object, undefined>,
): Promise<Answer> {
  await asker.run({ tools, who }, () => tusServer(tools).handle(req, res));
  return { status: res.statusCode, handled: true };
}

/** Only the principal that started an upload may see or continue it. */
async function handOwnToTus(
  tools: IntakeTools,
  context: RouteContext<{ id: string }, object, undefined>,
): Promise<Answer> {
  const { who, params } = context;
  if ((await findUpload(tools.db, params.id, who.ref)) === null) throw notFound(`The upload ${params.id}`);
  return handToTus(tools, context);
}

const params = Joi.object({ id: Joi.string().hex().length(32).required() });
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: a table of routes, each of which stands on its own
export function resumableRoutes(toolsFor: ToolsFor): Route[] {
  return [
    route({
      method: 'options',
      path: PATH,
      access: 'public',
      summary: 'Get the supported tus 1.0.0 extensions',
      answers: { 204: tus },
      handle: (context) => handToTus(toolsFor(context.services), context),
    }),
    route({
      method: 'post',
      path: PATH,
      access: 'library:write',
      tokenFolder: () => null,
      summary:
        'Start a resumable upload (tus 1.0.0); Upload-Metadata contains filename, folder, texts and unpack',
      ownIdempotency: true,
      headers: starting,
      answers: { 201: begun },
      handle: (context) => handToTus(toolsFor(context.services), context),
    }),
    route<{ id: string }>({
      method: 'head',
      path: `${PATH}/{id}`,
      access: 'library:write',
      tokenFolder: () => null,
      summary: 'Get the offset of a resumable upload',
      params,
      headers: asking,
      answers: { 200: tus },
      handle: (context) => handOwnToTus(toolsFor(context.services), context),
    }),
    route<{ id: string }>({
      method: 'patch',
      path: `${PATH}/{id}`,
      access: 'library:write',
      tokenFolder: () => null,
      summary: 'Send the next chunk of a resumable upload',
      params,
      headers: sending,
      answers: { 204: tus },
      handle: (context) => handOwnToTus(toolsFor(context.services), context),
    }),
    route<{ id: string }>({
      method: 'delete',
      path: `${PATH}/{id}`,
      access: 'library:write',
      tokenFolder: () => null,
      summary: 'Cancel a resumable upload',
      params,
      headers: asking,
      answers: { 204: tus },
      handle: (context) => handOwnToTus(toolsFor(context.services), context),
    }),
    route<{ id: string }>({
      method: 'get',
      path: `${PATH}/{id}/result`,
      access: 'library:write',
      tokenFolder: () => null,
      summary: 'Get the result of a completed resumable upload',
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
      async handle({ services, who, params: { id } }) {
        const row = await findUpload(services.db, id, who.ref);
        if (row === null) throw notFound(`The upload ${id}`);
        const result = row.result ?? (await finishLate(toolsFor(services), who, id));
        return { status: 200, body: result };
      },
    }),
  ];
}
