import type { Right } from '@uniferum/core/access';
import type { Request, Response } from 'express';
import type Joi from 'joi';
import type { Answer } from './answer.js';
import type { Idempotency } from './idempotency.js';
import type { Principal } from './principal.js';
import type { Services } from './services.js';

/** Who may call a route: a right, whoever is known, anyone (known or not), or everybody without being looked at. */
export type Access = Right | 'known' | 'anyone' | 'public';

/** What a handler is given: parsed input, and who asks. */
export interface RouteContext<Params, Query, Body> {
  services: Services;
  /** For routes that state `ownIdempotency`. */
  idempotency: Idempotency;
  /** Who asks; a stand-in without rights on public routes. */
  who: Principal;
  params: Params;
  query: Query;
  body: Body;
  req: Request;
  res: Response;
}

export interface AnswerSpec {
  description: string;
  schema?: Joi.Schema;
  /** @defaultValue application/json */
  contentType?: string;
}

/** One route: the only place where its address, right, input, answers and work are stated. */
export interface RouteSpec<Params = object, Query = object, Body = undefined> {
  method: 'get' | 'post' | 'put' | 'patch' | 'delete' | 'head' | 'options';
  /** The whole path, with parameters in braces; one ending in `*}` takes the rest of the path. */
  path: string;
  access: Access;
  summary: string;
  params?: Joi.ObjectSchema;
  query?: Joi.ObjectSchema;
  body?: Joi.Schema;
  /** The schema of a multipart body, which the handler reads itself. */
  multipart?: Joi.ObjectSchema;
  /** The schema of a JSON body that is taken instead of a multipart one; the handler validates it itself. */
  alternativeBody?: Joi.Schema;
  /** A repeated Idempotency-Key is seen to by the handler, because its body streams. */
  ownIdempotency?: boolean;
  /** The largest JSON body. @defaultValue 256 kB */
  maxBodyBytes?: number;
  /** How many requests of one caller are worked on at a time. @defaultValue 64 */
  atOnce?: number;
  answers: Record<number, AnswerSpec>;
  handle(context: RouteContext<Params, Query, Body>): Promise<Answer>;
}

/** A route whose input types are known only to itself. */
export type Route = RouteSpec<never, never, never>;

/** States a route. The type parameters are the parsed input, which the Joi schemas guarantee. */
export function route<Params = object, Query = object, Body = undefined>(
  spec: RouteSpec<Params, Query, Body>,
): Route {
  return spec as unknown as Route;
}

export const API_BASE = '/api/v1';
