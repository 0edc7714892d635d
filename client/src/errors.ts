import type { Problem } from '@uniferum/core/shared';

/** A problem answered by the server. `message` is its detail. */
export class UniferumApiError extends Error {
  override readonly name = 'UniferumApiError';
  readonly problem: Problem;
  readonly status: number;
  readonly code: string;

  constructor(problem: Problem) {
    super(problem.detail);
    this.problem = problem;
    this.status = problem.status;
    this.code = problem.code;
  }
}

/**
 * Why there is no answer: the server can't be reached, or the connection was lost; it took too long; the browser does not let
 * this page read answers (CORS); the client was not told where the server is.
 */
export type ConnectionFault = 'unreachable' | 'timeout' | 'blocked' | 'no-base-url';

/** There is no answer. When a signal aborted the call, its own reason is thrown instead. */
export class UniferumConnectionError extends Error {
  override readonly name = 'UniferumConnectionError';
  readonly code: ConnectionFault;

  constructor(code: ConnectionFault, message: string, options?: ErrorOptions) {
    super(message, options);
    this.code = code;
  }
}

/** Tells whether an error means that there is no answer. */
export function isUniferumConnectionError(error: unknown): error is UniferumConnectionError {
  return error instanceof Error && error.name === 'UniferumConnectionError';
}

/** Tells whether an error is a problem answered by the server. */
export function isUniferumApiError(error: unknown): error is UniferumApiError {
  return error instanceof Error && error.name === 'UniferumApiError';
}

/** Reads the problem of an unsuccessful answer. */
export async function readProblem(status: number, text: string): Promise<UniferumApiError> {
  try {
    const problem: unknown = JSON.parse(text);
    if (typeof problem === 'object' && problem !== null && 'detail' in problem)
      return new UniferumApiError(problem as Problem);
  } catch {
    // Something in between has answered, such as a proxy.
  }
  return new UniferumApiError({
    type: 'about:blank',
    title: 'Unexpected answer',
    status,
    detail: `The server answered ${status} with an unexpected body.`,
    code: 'unexpected-answer',
  });
}
