import type { ErrorRequestHandler, Request, Response } from 'express';
import type { Logger } from 'pino';
import { explainDatabaseError, isUnfitValue } from './database-errors.js';
import { toProblem, UniferumError } from './errors.js';

/** How much of an unwanted body is still read before the connection is closed, so that its sender sees the answer. */
const DRAINED_BYTES = 16_000_000;
const DRAINING_MS = 5000;

/** Answers an error as a problem (RFC 9457); the last middleware. */
export function answerProblem(log: Logger): ErrorRequestHandler {
  return (thrown, req, res, _next) => {
    const error = toUniferumError(thrown);
    if (error.status >= 500) log.error({ err: thrown, requestId: req.id }, 'a request failed');
    if (res.headersSent) {
      res.destroy();
      return;
    }
    const { retryAfterSeconds } = error.options;
    if (retryAfterSeconds !== undefined) res.setHeader('Retry-After', retryAfterSeconds);
    if (error.status === 401) res.setHeader('WWW-Authenticate', 'Bearer realm="Uniferum"');
    const body = Buffer.from(
      JSON.stringify(toProblem(error, req.originalUrl.slice(0, 1000), String(req.id))),
    );
    res.status(error.status).type('application/problem+json').setHeader('Content-Length', body.length);
    if (req.complete || req.method === 'HEAD') res.end(body);
    else answerBeforeEnd(req, res, body);
  };
}

/**
 * Answers a request whose body is not wanted. The answer is sent completely but not ended at once: ending it would
 * close the connection with unread bytes, which can destroy the answer in transit (RFC 9112, section 9.6). The rest
 * of the body is read up to a limit, and the connection is closed a little later.
 */
function answerBeforeEnd(req: Request, res: Response, body: Buffer): void {
  res.write(body);
  let bytes = 0;
  const end = () => {
    clearTimeout(timer);
    res.end();
  };
  const timer = setTimeout(() => {
    end();
    req.destroy();
  }, DRAINING_MS).unref();
  req.on('data', (piece: Buffer) => {
    bytes += piece.length;
    if (bytes > DRAINED_BYTES) req.pause();
  });
  req.once('end', end);
  req.once('close', end);
  req.on('error', () => {});
  req.resume();
}

function toUniferumError(raw: unknown): UniferumError {
  const thrown = explainDatabaseError(raw);
  if (thrown instanceof UniferumError) return thrown;
  // Every route validates its input; anything that slips through is still a client error, and nothing of it was
  // stored.
  if (isUnfitValue(thrown))
    return new UniferumError(
      'malformed-request',
      'A value in the request is too long or too large, or contains characters that are not allowed. Nothing was changed.',
      { cause: thrown },
    );
  // Express errors have a status.
  const status = thrown instanceof Error && 'status' in thrown ? thrown.status : null;
  if (typeof status === 'number' && status >= 400 && status < 500)
    return new UniferumError(
      'malformed-request',
      `The request can't be read: ${(thrown as Error).message.slice(0, 300)}.`,
      { cause: thrown },
    );
  return new UniferumError(
    'unexpected',
    'An unexpected error occurred; nothing was changed. Try again. If it persists, report it with this requestId.',
    { cause: thrown },
  );
}
