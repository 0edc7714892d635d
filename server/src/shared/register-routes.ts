import { hasRight, isInScope } from '@uniferum/core/access';
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

/** The default maximum size of a JSON body. */
const MAX_JSON_BYTES = 256_000;

/** How requests are admitted. */
export interface Gatekeeping {
  admission: Admission;
  idempotency: Idempotency;
  /** Identifies the caller; null when unknown. */
  authenticate(db: Services['db'], req: Request, publicUrl: string): Promise<Principal | null>;
  /** @throws UniferumError when a change comes from another site */
  requireOwnOrigin(req: Request, publicUrl: string): void;
}

/**
 * Registers routes. No part of a body is read before the caller is known, authorised, and within its limits; then the
 * body is read and validated, and the handler runs.
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
      // Answered or aborted; the rest of an unwanted body may arrive after the answer.
      for (const end of ['finish', 'close']) res.once(end, leave);
      // The client may have disconnected while it was being identified: then neither event follows.
      if (res.destroyed) leave();
      req.body = await readBody(spec, req);
      const input = parseInput(spec, req);
      requireScope(who, spec.tokenFolder?.(input as never) ?? null);
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

/** `/folders/{id}` in Express notation, `/media/{path*}` as its wildcard. */
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
  const who = await gate.authenticate(db, req, config.publicUrl);
  // A script with an invalid key gets an error; a page with an expired session still shows its pictures.
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
  if (who.scope && !spec.tokenFolder)
    throw new UniferumError('right-missing', "A token can't be used for this. Use an API key.");
  return who;
}

/** @throws UniferumError `right-missing` when a token is used outside its folder */
export function requireScope({ scope }: Pick<Principal, 'scope'>, folder: string | null): void {
  if (scope && folder !== null && !isInScope(scope, folder))
    throw new UniferumError('right-missing', `This token is for ${scope.folder}, and not for ${folder}.`);
}

/** Reads a JSON body where the route takes one; other bodies are read by the handler. */
async function readBody(spec: Route, req: Request): Promise<unknown> {
  if ((!spec.body && !spec.takesJson) || !isJson(req)) return undefined;
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
 * @throws UniferumError `malformed-request` with each invalid field; of long lists only with the first, because
 * collecting a hundred thousand errors takes long
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

/** The maximum number of errors reported for one body, and of characters in each. */
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
