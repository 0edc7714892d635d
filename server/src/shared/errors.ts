import type { Verdict } from '@uniferum/core/intake';
import type { FieldError, Problem } from '@uniferum/core/shared';

/** Every problem in API answers: its status and title. Codes are public and never reused. */
export const PROBLEMS = {
  'malformed-request': { status: 400, title: 'The request is malformed' },
  'not-signed-in': { status: 401, title: 'Authentication required' },
  'wrong-credentials': { status: 401, title: 'Invalid credentials' },
  'right-missing': { status: 403, title: 'Missing right' },
  'metadata-kept': { status: 403, title: "Metadata can't be removed" },
  'foreign-origin': { status: 403, title: 'The request comes from another site' },
  'not-found': { status: 404, title: 'Not found' },
  conflict: { status: 409, title: 'Conflict' },
  'request-in-progress': { status: 409, title: 'The same request is still in progress' },
  'stale-state': { status: 412, title: 'It was changed in the meantime' },
  'too-large': { status: 413, title: 'The request is too large' },
  'unsupported-media-type': { status: 415, title: 'Unsupported body type' },
  'range-not-satisfiable': { status: 416, title: 'Range outside the file' },
  refused: { status: 422, title: 'A rule refuses it' },
  'key-reused': { status: 422, title: 'The Idempotency-Key was used for another request' },
  'too-many-attempts': { status: 429, title: 'Too many attempts' },
  'too-many-requests': { status: 429, title: 'Too many requests' },
  unexpected: { status: 500, title: 'Server error' },
  busy: { status: 503, title: 'The server is busy' },
  'database-away': { status: 503, title: "The database can't be reached" },
  'source-away': { status: 503, title: "The source can't be reached" },
  'store-refused': { status: 502, title: 'The store refuses it' },
  'bytes-damaged': { status: 502, title: 'Stored bytes are damaged' },
  'store-away': { status: 503, title: "The store can't be reached" },
  'storage-full': { status: 507, title: 'A disk is full' },
} as const;

export type ProblemCode = keyof typeof PROBLEMS;

export interface ProblemOptions {
  errors?: FieldError[];
  verdict?: Verdict;
  retryAfterSeconds?: number;
  cause?: unknown;
}

/** An expected failure of a request; the last middleware answers it as a problem (RFC 9457). */
export class UniferumError extends Error {
  readonly code: ProblemCode;
  readonly status: number;
  readonly options: ProblemOptions;

  /** @param detail what happened to which thing, and what to do */
  constructor(code: ProblemCode, detail: string, options: ProblemOptions = {}) {
    super(detail, options.cause === undefined ? {} : { cause: options.cause });
    this.code = code;
    this.status = PROBLEMS[code].status;
    this.options = options;
  }
}

/** Builds the body of a problem answer. */
export function toProblem(error: UniferumError, instance: string, requestId: string): Problem {
  const { errors, verdict } = error.options;
  return {
    type: `urn:uniferum:problem:${error.code}`,
    title: PROBLEMS[error.code].title,
    status: error.status,
    detail: error.message,
    instance,
    code: error.code,
    requestId,
    ...(errors && { errors }),
    ...(verdict && { verdict }),
  };
}

/** Creates the error for something that does not exist. */
export function notFound(what: string): UniferumError {
  return new UniferumError('not-found', `${what} does not exist.`);
}

/** Tells whether something failed because of the environment rather than its input: a retry may succeed. */
export function isEnvironmentFault(error: unknown): error is UniferumError {
  return error instanceof UniferumError && (error.status === 503 || error.status === 507);
}
