import type { Problem } from '@uniferum/core/shared';

/** The server answered with a problem. `message` is its detail. */
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

/** The server could not be reached, or the connection broke off. */
export class UniferumConnectionError extends Error {
  override readonly name = 'UniferumConnectionError';
}

/** Tells whether something thrown is a problem that the server answered with. */
export function isUniferumApiError(error: unknown): error is UniferumApiError {
  return error instanceof Error && error.name === 'UniferumApiError';
}

/** Reads the problem of an answer that is not a success. */
export async function readProblem(status: number, text: string): Promise<UniferumApiError> {
  try {
    const problem: unknown = JSON.parse(text);
    if (typeof problem === 'object' && problem !== null && 'detail' in problem)
      return new UniferumApiError(problem as Problem);
  } catch {
    // Something between us and the server has answered, a proxy for one.
  }
  return new UniferumApiError({
    type: 'about:blank',
    title: 'Unexpected answer',
    status,
    detail: `The server answered ${status} with an unexpected body.`,
    code: 'unexpected-answer',
  });
}
