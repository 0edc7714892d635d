import type { BucketSettings } from '@uniferum/core/connections';
import { HISTORY_DAYS, type HistoryDays } from '@uniferum/core/copies';
import Joi from 'joi';
import { findConnection } from '../connections/queries.js';
import { recordEvent } from '../events/outbox.js';
import { type Executor, inTransaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { pageOf } from '../shared/schemas.js';
import type { Services } from '../shared/services.js';
import { hasCopies } from './copy-queries.js';
import { storeChanged, storeDeleted } from './events.js';
import { skipToNewest } from './follow-library.js';
import { readHistory } from './history.js';
import { deleteHistory } from './history-queries.js';
import { listPlacements } from './placement-queries.js';
import { historySchema, storeBody, storeIdSchema, storePatch, storeSchema } from './schemas.js';
import { storeAnswers } from './store-answers.js';
import { describeStores } from './store-facts.js';
import {
  deleteStore,
  findStore,
  insertStore,
  listStores,
  type PlacedStore,
  updateStore,
} from './store-queries.js';

interface Id {
  id: string;
}
const params = Joi.object({ id: storeIdSchema.required() });

interface StoreBody {
  name: string;
  connection: string;
  publicUrl: string | null;
  auditDays: number | null;
}

async function answerStore(services: Services, id: string, status: 200 | 201 = 200) {
  const body = (await storeAnswers(services)).find((store) => store.id === id);
  if (!body) throw notFound(`The store ${id}`);
  const store = id === 'home' ? null : await findStore(services.db, id);
  return { status, body, headers: store ? { ETag: revisionTag(id, store.revision) } : {} };
}

/** @throws UniferumError `not-found`; `conflict` for the home store, which is configured elsewhere */
export async function requireStore(db: Executor, id: string, options = {}): Promise<PlacedStore> {
  if (id === 'home')
    throw new UniferumError(
      'conflict',
      "The home store is set up by the configuration of the server, and can't be changed here.",
    );
  const store = await findStore(db, id, options);
  if (!store) throw notFound(`The store ${id}`);
  return store;
}

function refuseHomeName(name: string, { store }: Pick<Services, 'store'>): void {
  if (name === store.name)
    throw new UniferumError('conflict', `"${name}" is the name of the home store. Choose another name.`);
}

export const storeRoutes: Route[] = [
  route({
    method: 'get',
    path: `${API_BASE}/stores`,
    access: 'connections:read',
    summary: 'List the stores: the home store first, then the others by name',
    answers: { 200: { description: 'All stores', schema: pageOf(storeSchema) } },
    async handle({ services }) {
      const items = await storeAnswers(services);
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  }),
  route<object, object, StoreBody>({
    method: 'post',
    path: `${API_BASE}/stores`,
    access: 'connections:write',
    summary: 'Add a store: a bucket of a connection that is to hold copies',
    body: storeBody,
    answers: { 201: { description: 'The store', schema: storeSchema } },
    async handle({ services, who, body: { connection, ...settings } }) {
      refuseHomeName(settings.name, services);
      // What happened before there was a store needs no copies.
      if ((await listStores(services.db)).length === 0) await skipToNewest(services.db);
      const id = await inTransaction(services.db, async (tx) => {
        const used = await findConnection(tx, connection, { lock: true });
        if (!used)
          throw new UniferumError('malformed-request', `The connection ${connection} does not exist.`, {
            errors: [{ field: 'connection', code: 'unknown', message: 'This connection does not exist.' }],
          });
        await refuseOverlap(tx, services.config, used.settings);
        const added = await insertStore(tx, { ...settings, connectionId: connection });
        const data = { id: String(added), name: settings.name };
        await recordEvent(tx, { event: storeChanged, by: who.name, data });
        return added;
      });
      return answerStore(services, String(id), 201);
    },
  }),
  route<Id>({
    method: 'get',
    path: `${API_BASE}/stores/{id}`,
    access: 'connections:read',
    summary: 'Get a store; `home` is the home store',
    params,
    answers: { 200: { description: 'The store', schema: storeSchema } },
    handle: ({ services, params: { id } }) => answerStore(services, id),
  }),
  route<Id, { days: HistoryDays }>({
    method: 'get',
    path: `${API_BASE}/stores/{id}/history`,
    access: 'connections:read',
    summary: 'Get what a store held over the last days, and what was sent to it',
    params,
    query: Joi.object({
      days: Joi.number()
        .valid(...HISTORY_DAYS)
        .default(14),
    }),
    answers: { 200: { description: 'Periods of equal length up to now', schema: historySchema } },
    async handle({ services: { db, store }, params: { id }, query: { days } }) {
      const storeId = id === 'home' ? 0 : (await requireStore(db, id)).id;
      return { status: 200, body: await readHistory(db, storeId, { days, home: store.name }) };
    },
  }),
  route<Id, object, Partial<StoreBody>>({
    method: 'patch',
    path: `${API_BASE}/stores/{id}`,
    access: 'connections:write',
    summary: 'Rename a store, or change its public address or its schedule of audits',
    params,
    body: storePatch,
    answers: { 200: { description: 'The store as it is now', schema: storeSchema } },
    async handle({ services, req, who, params: { id }, body }) {
      if (body.name !== undefined) refuseHomeName(body.name, services);
      await inTransaction(services.db, async (tx) => {
        const before = await requireStore(tx, id, { lock: true });
        requireMatch(req.get('if-match'), revisionTag(id, before.revision), `The store "${before.name}"`);
        await updateStore(tx, before.id, { ...before, ...body });
        const data = { id, name: body.name ?? before.name };
        await recordEvent(tx, { event: storeChanged, by: who.name, data });
      });
      return answerStore(services, id);
    },
  }),
  route<Id>({
    method: 'delete',
    path: `${API_BASE}/stores/{id}`,
    access: 'connections:write',
    summary: 'Delete a store that holds no copies and that no folder uses',
    params,
    answers: { 204: { description: 'It is deleted' } },
    async handle({ services: { db }, who, params: { id } }) {
      await inTransaction(db, async (tx) => {
        const store = await requireStore(tx, id, { lock: true });
        await requireUnused(tx, store);
        await deleteStore(tx, store.id);
        await deleteHistory(tx, store.id);
        await recordEvent(tx, { event: storeDeleted, by: who.name, data: { id, name: store.name } });
      });
      return { status: 204 };
    },
  }),
];

/**
 * Two stores in one place would each take the other's objects for unknown ones, which a repair may delete.
 *
 * @throws UniferumError `conflict`
 */
async function refuseOverlap(
  db: Executor,
  { home }: Pick<Services['config'], 'home'>,
  place: BucketSettings,
): Promise<void> {
  const others = [...(await describeStores(db)).values()].map(({ store, settings }) => ({
    name: `The store "${store.name}"`,
    settings,
  }));
  if (home) others.push({ name: 'The home store', settings: home.settings });
  const other = others.find(({ settings }) => overlaps(settings, place));
  if (other)
    throw new UniferumError(
      'conflict',
      `${other.name} is in the same bucket with the prefix "${other.settings.prefix}". Use a connection with another bucket, or with a prefix of its own beside it.`,
    );
}

function overlaps(a: BucketSettings, b: BucketSettings): boolean {
  if (new URL(a.endpoint).host !== new URL(b.endpoint).host || a.bucket !== b.bucket) return false;
  return a.prefix.startsWith(b.prefix) || b.prefix.startsWith(a.prefix);
}

async function requireUnused(db: Executor, { id, name }: PlacedStore): Promise<void> {
  const folder = (await listPlacements(db)).find(({ stores }) => stores.includes(id));
  if (folder)
    throw new UniferumError(
      'conflict',
      `Files in ${folder.path} are placed in the store "${name}". Change the placement of that folder first.`,
    );
  if (await hasCopies(db, id))
    throw new UniferumError(
      'conflict',
      `The store "${name}" still holds copies. Drop them first; copies that are the last good ones have to be fetched before.`,
    );
}
