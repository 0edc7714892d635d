import type { BucketSettings, ConnectionAnswer, ConnectionKind } from '@uniferum/core/connections';
import Joi from 'joi';
import { recordEvent } from '../events/outbox.js';
import {
  type Executor,
  inTransaction,
  isoTime,
  isoTimeOrNull,
  type Transaction,
} from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { idSchema, pageOf, stepsSchema } from '../shared/schemas.js';
import { sealSecret } from '../shared/secrets.js';
import { connectionChanged, connectionDeleted } from './events.js';
import { readSecret } from './open-bucket.js';
import {
  type Connection,
  deleteConnection,
  findConnection,
  insertConnection,
  isConnectionUsed,
  listConnections,
  updateConnection,
} from './queries.js';
import { connectionBody, connectionPatch, connectionSchema, connectionTestBody } from './schemas.js';
import { testBucket } from './test-bucket.js';

interface Id {
  id: string;
}
interface ConnectionBody {
  kind: ConnectionKind;
  name: string;
  settings: BucketSettings;
  secret: string;
}
const params = Joi.object({ id: idSchema.required() });

function toAnswer({ id, kind, name, settings, ...times }: Connection): ConnectionAnswer {
  return {
    ...{ id, kind, name, settings },
    secretSetAt: isoTimeOrNull(times.secretSetAt),
    createdAt: isoTime(times.createdAt),
    updatedAt: isoTime(times.updatedAt),
  };
}

async function requireConnection(db: Executor, id: string, options = {}): Promise<Connection> {
  const connection = await findConnection(db, id, options);
  if (!connection) throw notFound(`The connection ${id}`);
  return connection;
}

const answerOf = (connection: Connection, status: 200 | 201 = 200) => ({
  status,
  body: toAnswer(connection),
  headers: { ETag: revisionTag(connection.id, connection.revision) },
});

export const connectionRoutes: Route[] = [
  route({
    method: 'get',
    path: `${API_BASE}/connections`,
    access: 'connections:read',
    summary: 'List connections by name',
    answers: { 200: { description: 'All connections', schema: pageOf(connectionSchema) } },
    async handle({ services: { db } }) {
      const items = (await listConnections(db)).map(toAnswer);
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  }),
  route<object, object, ConnectionBody>({
    method: 'post',
    path: `${API_BASE}/connections`,
    access: 'connections:write',
    summary: 'Add a connection to an outside system',
    body: connectionBody,
    answers: { 201: { description: 'The connection', schema: connectionSchema } },
    async handle({ services: { db, config }, who, body: { secret, ...connection } }) {
      const added = await inTransaction(db, async (tx) => {
        const id = await insertConnection(tx, { ...connection, secret: sealSecret(config, secret) });
        await recordEvent(tx, {
          event: connectionChanged,
          by: who.name,
          data: { id, name: connection.name },
        });
        return requireConnection(tx, id);
      });
      return answerOf(added, 201);
    },
  }),
  route<object, object, Omit<ConnectionBody, 'secret'> & { secret?: string; id?: string }>({
    method: 'post',
    path: `${API_BASE}/connections/test`,
    access: 'connections:write',
    summary: 'Test a connection before it is saved, step by step; the first failing step says what to do',
    body: connectionTestBody,
    answers: { 200: { description: 'The steps', schema: stepsSchema } },
    async handle({ services: { db, config }, body: { settings, secret, id } }) {
      const known = secret ?? readSecret(config, await requireConnection(db, id ?? ''));
      return { status: 200, body: { steps: await testBucket(config, settings, known) } };
    },
  }),
  route<Id>({
    method: 'get',
    path: `${API_BASE}/connections/{id}`,
    access: 'connections:read',
    summary: 'Get a connection',
    params,
    answers: { 200: { description: 'The connection', schema: connectionSchema } },
    async handle({ services: { db }, params: { id } }) {
      return answerOf(await requireConnection(db, id));
    },
  }),
  route<Id, object, Partial<ConnectionBody>>({
    method: 'patch',
    path: `${API_BASE}/connections/{id}`,
    access: 'connections:write',
    summary: 'Rename a connection, or change its settings or secret',
    params,
    body: connectionPatch,
    answers: { 200: { description: 'The connection as it is now', schema: connectionSchema } },
    async handle({ services: { db, config }, req, who, params: { id }, body: { name, settings, secret } }) {
      const changed = await inTransaction(db, async (tx) => {
        const before = await requireConnection(tx, id, { lock: true });
        requireMatch(
          req.get('if-match'),
          revisionTag(id, before.revision),
          `The connection "${before.name}"`,
        );
        const next = { name: name ?? before.name, settings: settings ?? before.settings };
        await refuseOtherPlace(tx, before, next.settings);
        await updateConnection(tx, id, {
          ...next,
          ...(secret !== undefined && { secret: sealSecret(config, secret) }),
        });
        await recordEvent(tx, { event: connectionChanged, by: who.name, data: { id, name: next.name } });
        return requireConnection(tx, id);
      });
      return answerOf(changed);
    },
  }),
  route<Id>({
    method: 'delete',
    path: `${API_BASE}/connections/{id}`,
    access: 'connections:write',
    summary: 'Delete a connection; nothing is deleted in the outside system',
    params,
    answers: { 204: { description: 'It is deleted' } },
    async handle({ services: { db }, req, who, params: { id } }) {
      await inTransaction(db, async (tx) => {
        const { name, revision } = await requireConnection(tx, id, { lock: true });
        requireMatch(req.get('if-match'), revisionTag(id, revision), `The connection "${name}"`);
        await deleteConnection(tx, { id, name });
        await recordEvent(tx, { event: connectionDeleted, by: who.name, data: { id, name } });
      });
      return { status: 204 };
    },
  }),
  route<Id>({
    method: 'post',
    path: `${API_BASE}/connections/{id}/test`,
    access: 'connections:write',
    summary: 'Test a connection step by step; the first failing step says what to do',
    params,
    answers: { 200: { description: 'The steps', schema: stepsSchema } },
    async handle({ services: { db, config }, params: { id } }) {
      const connection = await requireConnection(db, id);
      const secret = readSecret(config, connection);
      return { status: 200, body: { steps: await testBucket(config, connection.settings, secret) } };
    },
  }),
];

/** The copies of a store are at the keys of its bucket: they would all seem to be missing in another one. */
async function refuseOtherPlace(tx: Transaction, before: Connection, after: BucketSettings): Promise<void> {
  const { bucket, prefix } = before.settings;
  if (bucket === after.bucket && prefix === after.prefix) return;
  if (await isConnectionUsed(tx, before))
    throw new UniferumError(
      'conflict',
      `A store uses the connection "${before.name}", so its bucket and prefix can't be changed. Add another connection, and move the copies there.`,
    );
}
