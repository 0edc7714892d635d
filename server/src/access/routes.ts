import { ALL_RIGHTS, type Right } from '@uniferum/core/access';
import type { Response } from 'express';
import Joi from 'joi';
import { strangerOf } from '../shared/admission.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, component, idSchema, pageOf, timeSchema } from '../shared/schemas.js';
import { authenticate, readCookie, SESSION_COOKIE } from './principal.js';
import { deleteKey, deleteSession, listKeys } from './queries.js';
import { hashSecret } from './secrets.js';
import { makeKey, SESSION_DAYS, signIn } from './service.js';
import { originSchema } from './token-fields.js';

const rightsSchema = Joi.array()
  .items(Joi.string().valid(...ALL_RIGHTS))
  .unique();

const meSchema = component(
  'Me',
  answer({
    kind: Joi.string().valid('user', 'key', 'token'),
    id: idSchema,
    name: Joi.string(),
    rights: rightsSchema,
  }).keys({
    scope: answer({
      folder: Joi.string(),
      origin: Joi.string().allow(null),
      maxBytes: Joi.number().integer().allow(null),
      maxItems: Joi.number().integer().allow(null),
      allow: Joi.array().items(Joi.string()),
      expiresAt: timeSchema,
      expiresIn: Joi.number().integer().min(0).description('seconds'),
    }).description('what a token is limited to'),
  }),
);

const keyFields = {
  id: idSchema,
  name: Joi.string(),
  prefix: Joi.string(),
  rights: rightsSchema,
  origins: Joi.array().items(Joi.string()).description('the origins of web pages that may use it'),
  createdAt: timeSchema,
  lastUsedAt: timeSchema.allow(null),
};
const keySchema = component('ApiKey', answer(keyFields));
const newKeySchema = component(
  'NewApiKey',
  answer({ ...keyFields, secret: Joi.string().description('shown this once') }),
);

export const accessRoutes: Route[] = [
  route<object, object, { email: string; password: string }>({
    method: 'post',
    path: `${API_BASE}/session`,
    access: 'public',
    summary: 'Sign in',
    atOnce: 16,
    body: Joi.object({
      email: Joi.string().max(190).required(),
      password: Joi.string().max(500).required(),
    }).example({ email: 'keeper@skerry.example', password: 'a long phrase' }),
    answers: { 204: { description: 'Signed in; the session is in the cookie' } },
    async handle({ services, body, req, res }) {
      const token = await signIn(services.db, { ...body, source: strangerOf(req.ip) });
      setSessionCookie(res, token, services.config.publicUrl);
      return { status: 204 };
    },
  }),
  route({
    method: 'delete',
    path: `${API_BASE}/session`,
    access: 'known',
    summary: 'Sign out',
    answers: { 204: { description: 'The session is over' } },
    async handle({ services, req, res }) {
      const token = readCookie(req, SESSION_COOKIE);
      if (token !== null) await deleteSession(services.db, hashSecret(token));
      res.clearCookie(SESSION_COOKIE, { path: '/' });
      return { status: 204 };
    },
  }),
  route({
    method: 'get',
    path: `${API_BASE}/me`,
    access: 'known',
    summary: 'Get the current user, key or token and its rights',
    tokenFolder: () => null,
    answers: { 200: { description: 'The person or key that asks', schema: meSchema } },
    async handle({ services, req }) {
      const who = await authenticate(services.db, req, services.config.publicUrl);
      if (who === null) throw new UniferumError('not-signed-in', 'The session is over. Sign in again.');
      const { kind, id, name, rights, scope } = who;
      return {
        status: 200,
        body: {
          kind,
          id,
          name,
          rights,
          ...(scope && { scope: { ...scope, expiresIn: secondsUntil(scope.expiresAt) } }),
        },
      };
    },
  }),
  route({
    method: 'get',
    path: `${API_BASE}/keys`,
    access: 'keys:write',
    summary: 'List API keys',
    answers: { 200: { description: 'All keys, newest first', schema: pageOf(keySchema) } },
    async handle({ services }) {
      const items = await listKeys(services.db);
      return { status: 200, body: { items, total: items.length, next: null } };
    },
  }),
  route<object, object, { name: string; rights: Right[]; origins: string[] }>({
    method: 'post',
    path: `${API_BASE}/keys`,
    access: 'keys:write',
    summary: 'Create an API key; its secret is returned only once',
    // Answers are stored for idempotent retries, and a secret must never be stored.
    ownIdempotency: true,
    body: Joi.object({
      name: Joi.string().trim().min(1).max(120).required(),
      rights: rightsSchema.min(1).required(),
      origins: Joi.array()
        .items(originSchema)
        .unique()
        .max(50)
        .default([])
        .description(
          'the origins of web pages that may use the key, which everybody who sees the page can read; scripts on servers need none',
        ),
    }).example({ name: 'Nightly import', rights: ['library:read', 'library:write'] }),
    answers: { 201: { description: 'The key with its secret', schema: newKeySchema } },
    async handle({ services, who, body }) {
      const excess = body.rights.find((right) => !who.rights.includes(right));
      if (excess)
        throw new UniferumError(
          'right-missing',
          `You can't give the right "${excess}", because you don't have it.`,
        );
      return {
        status: 201,
        body: await makeKey(services.db, body),
        headers: { 'Cache-Control': 'no-store' },
      };
    },
  }),
  route<{ id: string }>({
    method: 'delete',
    path: `${API_BASE}/keys/{id}`,
    access: 'keys:write',
    summary: 'Revoke an API key',
    params: Joi.object({ id: idSchema.required() }),
    answers: { 204: { description: 'The key is no longer good' } },
    async handle({ services, params }) {
      if (!(await deleteKey(services.db, params.id))) throw notFound(`Key ${params.id}`);
      return { status: 204 };
    },
  }),
];

function secondsUntil(time: string): number {
  return Math.max(Math.floor((Date.parse(time) - Date.now()) / 1000), 0);
}

function setSessionCookie(res: Response, token: string, publicUrl: string): void {
  res.cookie(SESSION_COOKIE, token, {
    httpOnly: true,
    sameSite: 'strict',
    secure: publicUrl.startsWith('https:'),
    path: '/',
    maxAge: SESSION_DAYS * 86_400_000,
  });
}
