import { hasRight } from '@uniferum/core/access';
import type { Express, Request, Response } from 'express';
import type Joi from 'joi';
import { type Admission, strangerOf } from './admission.js';
import type { Answer } from './answer.js';
import { CursorSeal, type ListAsked } from './cursor.js';
import { UniferumError } from './errors.js';
import type { Idempotency } from './idempotency.js';
import { isJson, readJsonBody } from './json-body.js';
import { NOBODY, type Principal } from './principal.js';
import type { Route, RouteContext } from './route.js';
import type { Services } from './services.js';

/** The largest JSON body of a route that doesn't say otherwise. */
const MAX_JSON_BYTES = 256_000;

/** How requests are let in. */
export interface Gatekeeping {
  admission: Admission;
  idempotency: Idempotency;
  /** Finds out who asks; null when that can't be told. */
  authenticate(db: Services['db'], req: Request): Promise<Principal | null>;
  /** @throws UniferumError when a change comes from another site */
  requireOwnOrigin(req: Request, publicUrl: string): void;
}

/**
 * Puts routes into the server. Nothing of a request's body is read before it is known who asks, that they have the right,
 * and that they don't ask for too much at a time; then it is read, validated, and the work is done.
 */
export function registerRoutes(
  express: Express,
  services: Services,
  gate: Gatekeeping,
  routes: readonly Route[],
): void {
  const seal = new CursorSeal(services.config.masterKey);
  for (const spec of routes) {
    express[spec.method](expressPath(spec.path), async (req, res) => {
      const who = await admit(services, gate, spec, req);
      const caller = who.kind === 'nobody' ? strangerOf(req.ip) : who.ref;
      const leave = gate.admission.enter(`${spec.method} ${spec.path}`, caller, spec.atOnce);
      // Answered, or broken off; the rest of a body that nobody wanted may come after the answer.
      for (const end of ['finish', 'close']) res.once(end, leave);
      req.body = await readBody(spec, req);
      const input = parseInput(spec, req);
      const list = { path: req.path, query: { ...input.query } };
      if (typeof input.query.cursor === 'string') input.query.cursor = seal.open(list, input.query.cursor);
      const context = { services, idempotency: gate.idempotency, who, req, res, ...input } as RouteContext<
        never,
        never,
        never
      >;
      const key = req.get('idempotency-key');
      const isRepeatable =
        spec.method === 'post' && key !== undefined && spec.access !== 'public' && !spec.ownIdempotency;
      const answer = isRepeatable
        ? await gate.idempotency.answerOnce({ who, key, req }, (db) =>
            spec.handle({ ...context, services: { ...services, db } }),
          )
        : await spec.handle(context);
      send(res, spec.query ? sealNext(answer, seal, list) : answer);
    });
  }
}

/** `/folders/{id}` as Express writes it, `/media/{path*}` as its wildcard. */
function expressPath(path: string): string {
  return path.replace(/\{(\w+)\*\}/g, '*$1').replace(/\{(\w+)\}/g, ':$1');
}

async function admit(
  { db, config }: Services,
  gate: Gatekeeping,
  spec: Route,
  req: Request,
): Promise<Principal> {
  if (spec.access === 'public') return NOBODY;
  const who = await gate.authenticate(db, req);
  // A script whose key is no good is told so; a page whose session has ended shows its pictures all the same.
  if (who === null && spec.access === 'anyone' && req.get('authorization') === undefined) return NOBODY;
  if (who === null) {
    throw new UniferumError(
      'not-signed-in',
      'Send "Authorization: Bearer KEY" with a valid key, or sign in to the console.',
    );
  }
  if (who.kind === 'user' && spec.method !== 'get' && spec.method !== 'head')
    gate.requireOwnOrigin(req, config.publicUrl);
  if (spec.access !== 'known' && spec.access !== 'anyone' && !hasRight(who.rights, spec.access)) {
    throw new UniferumError(
      'right-missing',
      `${who.name} has no right "${spec.access}". Ask somebody who may make keys for one that has it.`,
    );
  }
  return who;
}

/** Reads a JSON body where the route takes one; other bodies are read by the handler. */
async function readBody(spec: Route, req: Request): Promise<unknown> {
  if ((!spec.body && !spec.alternativeBody) || !isJson(req)) return undefined;
  return readJsonBody(req, { maxBytes: spec.maxBodyBytes ?? MAX_JSON_BYTES });
}

function sealNext(answer: Answer, seal: CursorSeal, list: ListAsked): Answer {
  const { body } = answer;
  if (!hasNext(body)) return answer;
  return { ...answer, body: { ...body, next: seal.seal(list, body.next) } };
}

function hasNext(body: unknown): body is { next: string } {
  return typeof body === 'object' && body !== null && 'next' in body && typeof body.next === 'string';
}

function parseInput(
  spec: Route,
  req: Request,
): { params: unknown; query: Record<string, unknown>; body: unknown } {
  if (spec.body && req.body === undefined) {
    throw new UniferumError(
      'unsupported-media-type',
      'Send the body as JSON, with "Content-Type: application/json".',
    );
  }
  return {
    params: spec.params ? validate(spec.params, req.params) : req.params,
    query: spec.query ? { ...(validate(spec.query, req.query) as object) } : {},
    body: spec.body ? validate(spec.body, req.body) : undefined,
  };
}

/**
 * @throws UniferumError `malformed-request` with each field that is wrong; of long lists with the first, because a hundred
 *   thousand faults take long to collect
 */
export function validate(schema: Joi.Schema, input: unknown): unknown {
  const errors = { wrap: { label: false } } as const;
  const { value, error: first } = schema.validate(input, { abortEarly: true, errors });
  if (!first) return value;
  const error = (!hasLongList(input) && schema.validate(input, { abortEarly: false, errors }).error) || first;
  const told = error.details.slice(0, MAX_ERRORS).map(({ path, type, message }) => ({
    field: path.join('.').slice(0, MAX_TOLD),
    code: type,
    message: message.slice(0, MAX_TOLD),
  }));
  const more = error.details.length - told.length;
  throw new UniferumError(
    'malformed-request',
    `${told.map(({ message }) => message).join('; ')}${more > 0 ? `; and ${more} more` : ''}.`,
    { errors: told },
  );
}

/** So many faults of one body are told, each in so many characters. */
const MAX_ERRORS = 50;
const MAX_TOLD = 500;
const LONG_LIST = 1000;

function hasLongList(input: unknown): boolean {
  if (typeof input !== 'object' || input === null) return false;
  const values = Object.values(input);
  return values.length > LONG_LIST || values.some(hasLongList);
}

function send(res: Response, answer: Answer): void {
  if (answer.handled) return;
  for (const [name, value] of Object.entries(answer.headers ?? {})) {
    if (value !== undefined) res.setHeader(name, value);
  }
  res.status(answer.status);
  if (answer.body === undefined) res.end();
  else if (typeof answer.body === 'string' || Buffer.isBuffer(answer.body)) res.send(answer.body);
  else res.json(answer.body);
}
