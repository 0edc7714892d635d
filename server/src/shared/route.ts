import type { Right } from '@uniferum/core/access';
import type { Request, Response } from 'express';
import type Joi from 'joi';
import type { Answer } from './answer.js';
import type { Idempotency } from './idempotency.js';
import type { Principal } from './principal.js';
import type { Services } from './services.js';

/** Who may call a route: callers with a right, known callers, anyone (known or not), or everybody without authentication. */
export type Access = Right | 'known' | 'anyone' | 'public';

/** The input of a handler: parsed parameters, and the caller. */
export interface RouteContext<Params, Query, Body> {
  services: Services;
  /** For routes that declare `ownIdempotency`. */
  idempotency: Idempotency;
  /** The caller; on public routes a placeholder without rights. */
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
  /** Headers of the answer, with what they say. */
  headers?: Readonly<Record<string, string>>;
}

/** One route: the only place where its path, right, input, answers and handler are declared. */
export interface RouteSpec<Params = object, Query = object, Body = undefined> {
  method: 'get' | 'post' | 'put' | 'patch' | 'delete' | 'head' | 'options';
  /** The full path, with parameters in braces; one ending in `*}` matches the rest of the path. */
  path: string;
  access: Access;
  summary: string;
  description?: string;
  params?: Joi.ObjectSchema;
  query?: Joi.ObjectSchema;
  body?: Joi.Schema;
  /** Headers that the handler reads itself, instead of the usual ones. */
  headers?: Readonly<Record<string, { description: string; required?: boolean; example?: string }>>;
  /** The schema of a multipart body, which the handler reads itself. */
  multipart?: Joi.ObjectSchema;
  /** A JSON body is accepted instead of a multipart one; the handler validates it itself. */
  takesJson?: boolean;
  /** The handler implements Idempotency-Key itself, because its body streams. */
  ownIdempotency?: boolean;
  /** The maximum size of a JSON body. @defaultValue 256 kB */
  maxBodyBytes?: number;
  /** How many requests of one caller are processed concurrently. @defaultValue 64 */
  atOnce?: number;
  /**
   * Lets tokens use the route, and names the folder that a request asks for: it must be in the token's scope. Null when
   * it asks for none, or when the handler checks it. Without this, tokens are refused.
   */
  tokenFolder?(input: { query: Query; body: Body }): string | null;
  answers: Record<number, AnswerSpec>;
  handle(context: RouteContext<Params, Query, Body>): Promise<Answer>;
}

/** A route whose input types are not exposed. */
export type Route = RouteSpec<never, never, never>;

/** Declares a route. The type parameters are the parsed input, which the Joi schemas guarantee. */
export function route<Params = object, Query = object, Body = undefined>(
  spec: RouteSpec<Params, Query, Body>,
): Route {
  return spec as unknown as Route;
}

export const API_BASE = '/api/v1';
