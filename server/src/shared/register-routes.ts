import { hasRight } from '@uniferum/core';
import type { Express, Request, Response } from 'express';
import type Joi from 'joi';
import { authenticate, NOBODY, type Principal, requireOwnOrigin } from '../access/principal.js';
import type { App } from '../app.js';
import { UniferumError } from './errors.js';
import { answerOnce } from './idempotency.js';
import type { Answer, Route, RouteContext } from './route.js';

/** Puts routes into the server: each is authenticated, checked against its right, validated, and then carried out. */
export function registerRoutes(express: Express, app: App, routes: readonly Route[]): void {
  for (const spec of routes) {
    express[spec.method](expressPath(spec.path), async (req, res) => {
      const who = await admit(app, spec, req);
      const context = { app, who, req, res, ...parseInput(spec, req) } as RouteContext<never, never, never>;
      const key = req.get('idempotency-key');
      const isRepeatable =
        spec.method === 'post' && key !== undefined && spec.access !== 'public' && !spec.ownIdempotency;
      const work = () => spec.handle(context);
      send(res, isRepeatable ? await answerOnce(app.db, { who, key, req, work }) : await work());
    });
  }
}

/** `/folders/{id}` as Express writes it, `/media/{path*}` as its wildcard. */
function expressPath(path: string): string {
  return path.replace(/\{(\w+)\*\}/g, '*$1').replace(/\{(\w+)\}/g, ':$1');
}

async function admit(app: App, spec: Route, req: Request): Promise<Principal> {
  if (spec.access === 'public') return NOBODY;
  const who = await authenticate(app.db, req);
  if (who === null) {
    throw new UniferumError(
      'not-signed-in',
      'Send "Authorization: Bearer KEY" with a valid key, or sign in to the console.',
    );
  }
  if (who.kind === 'user' && spec.method !== 'get' && spec.method !== 'head')
    requireOwnOrigin(req, app.config.publicUrl);
  if (spec.access !== 'known' && !hasRight(who.rights, spec.access)) {
    throw new UniferumError(
      'right-missing',
      `${who.name} has no right "${spec.access}". Ask somebody who may make keys for one that has it.`,
    );
  }
  return who;
}

function parseInput(spec: Route, req: Request): { params: unknown; query: unknown; body: unknown } {
  if (spec.body && req.body === undefined) {
    throw new UniferumError(
      'unsupported-media-type',
      'Send the body as JSON, with "Content-Type: application/json".',
    );
  }
  return {
    params: spec.params ? validate(spec.params, req.params) : req.params,
    query: spec.query ? validate(spec.query, req.query) : {},
    body: spec.body ? validate(spec.body, req.body) : undefined,
  };
}

function validate(schema: Joi.Schema, input: unknown): unknown {
  const { value, error } = schema.validate(input, { abortEarly: false, errors: { wrap: { label: false } } });
  if (!error) return value;
  const errors = error.details.map(({ path, type, message }) => ({
    field: path.join('.'),
    code: type,
    message,
  }));
  throw new UniferumError('malformed-request', `${errors.map(({ message }) => message).join('; ')}.`, {
    errors,
  });
}

function send(res: Response, answer: Answer): void {
  if (answer.handled) return;
  for (const [name, value] of Object.entries(answer.headers ?? {})) {
    if (value !== undefined) res.setHeader(name, value);
  }
  res.status(answer.status);
  if (answer.body === undefined) res.end();
  else if (typeof answer.body === 'string') res.send(answer.body);
  else res.json(answer.body);
}
