import { UniferumError } from '../shared/errors.js';
import { PRIVATE_TARGET } from '../shared/outgoing.js';
import type { RetryAdvice } from './back-off.js';

/** What an error of the bucket's client carries. */
interface ClientError {
  name?: string;
  message?: string;
  code?: string;
  Code?: string;
  $metadata?: { httpStatusCode?: number };
  $response?: { headers?: Record<string, string> };
  cause?: unknown;
}

const REFUSED_STORE: Record<string, string> = {
  InvalidAccessKeyId: 'It does not know the access key. Check the access key in the connection.',
  SignatureDoesNotMatch: 'The secret does not fit the access key. Enter the secret again in the connection.',
  AuthorizationHeaderMalformed: 'It expects another region. Check the region in the connection.',
  RequestTimeTooSkewed: 'Its clock and ours differ by more than 15 minutes. Set the clock of this server.',
  ExpiredToken: 'The credentials have expired. Enter new ones in the connection.',
  InvalidToken: 'The credentials are invalid. Enter new ones in the connection.',
  NoSuchBucket: 'The bucket does not exist. Check its name in the connection.',
  AccountProblem: 'The account is suspended. Ask whoever runs the bucket.',
};
const DAMAGED = new Set(['XAmzContentSHA256Mismatch', 'BadDigest', 'InvalidDigest', 'ContentSHA256Mismatch']);
const NETWORK =
  /^(?:ECONNREFUSED|ECONNRESET|ETIMEDOUT|EHOSTUNREACH|ENETUNREACH|EPIPE|ENOTFOUND|EAI_AGAIN|TimeoutError|UND_ERR_\w+|ERR_STREAM_PREMATURE_CLOSE)$/;
const AWAY_RETRY_S = 15;

/** The code of an error, as the store or the network names it. */
export function codeOfBucketError(error: unknown): string {
  const { Code, code, name } = error as ClientError;
  return Code ?? code ?? name ?? '';
}

/** Whether the call may be repeated at once. */
export function adviseRetry(error: unknown): RetryAdvice {
  if (error instanceof UniferumError) return { mayRetry: error.code === 'bytes-damaged', afterMs: null };
  const { $metadata, $response } = error as ClientError;
  const status = $metadata?.httpStatusCode ?? 0;
  const code = codeOfBucketError(error);
  // The client has corrected its clock by the answer.
  if (code === 'RequestTimeTooSkewed') return { mayRetry: true, afterMs: null };
  const mayRetry =
    status === 429 ||
    (status >= 500 && status !== 501 && status !== 507) ||
    code === 'SlowDown' ||
    NETWORK.test(code) ||
    code === 'RequestTimeout';
  return { mayRetry, afterMs: readRetryAfter($response?.headers?.['retry-after']) };
}

/** `Retry-After` in seconds or as a date (RFC 9110 §10.2.3), in milliseconds. */
export function readRetryAfter(header: string | undefined, nowMs = Date.now()): number | null {
  if (header === undefined) return null;
  if (/^\d{1,9}$/.test(header)) return Number(header) * 1000;
  const at = Date.parse(header);
  return Number.isNaN(at) ? null : Math.max(0, at - nowMs);
}

/** Converts an error of the bucket's client into ours; returns any other unchanged. */
export function explainBucketError(error: unknown, store: string, key: string | null): unknown {
  if (error instanceof UniferumError) return error;
  const { $metadata, message, cause } = error as ClientError;
  const code = codeOfBucketError(error);
  const status = $metadata?.httpStatusCode;
  if (code === PRIVATE_TARGET || (cause as ClientError | undefined)?.code === PRIVATE_TARGET)
    return new UniferumError(
      'store-away',
      `The store "${store}" can't be used: ${message}. Nothing was lost.`,
      {
        retryAfterSeconds: AWAY_RETRY_S,
        cause: error,
      },
    );
  if (DAMAGED.has(code))
    return new UniferumError(
      'bytes-damaged',
      `The bytes of ${key ?? store} changed on their way to "${store}".`,
      {
        cause: error,
      },
    );
  return (
    explainAway(error, store) ??
    explainAnswer(error, { store, key, status, code }) ??
    (status === undefined
      ? error
      : new UniferumError(
          'store-refused',
          `The store "${store}" refused ${key ?? 'the request'}: ${message}`,
          {
            cause: error,
          },
        ))
  );
}

/** What concerns the whole store: work on it waits, and goes on once somebody has mended it. */
function explainAway(error: unknown, store: string): UniferumError | null {
  const code = codeOfBucketError(error);
  const { $metadata, $response } = error as ClientError;
  const status = $metadata?.httpStatusCode;
  let why: string | undefined = REFUSED_STORE[code];
  if (why === undefined && adviseRetry(error).mayRetry)
    why =
      status === undefined ? `It can't be reached (${code}).` : `It answers with status ${status} (${code}).`;
  if (why === undefined) return null;
  const afterMs = readRetryAfter($response?.headers?.['retry-after']);
  return new UniferumError(
    'store-away',
    `The store "${store}" can't be used right now. ${why} Nothing was lost.`,
    {
      retryAfterSeconds: afterMs === null ? AWAY_RETRY_S : Math.ceil(afterMs / 1000),
      cause: error,
    },
  );
}

interface AnswerFacts {
  store: string;
  key: string | null;
  status: number | undefined;
  code: string;
}

function explainAnswer(error: unknown, { store, key, status, code }: AnswerFacts): UniferumError | null {
  const options = { cause: error };
  if (code === 'NoSuchKey' || status === 404)
    return new UniferumError('not-found', `${key ?? 'The object'} is not in the store "${store}".`, options);
  if (status === 403)
    return new UniferumError(
      'store-refused',
      `The store "${store}" refused access to ${key ?? 'the bucket'}. Give the access key the right to list, read, write and delete there.`,
      options,
    );
  if (code === 'QuotaExceeded' || status === 507)
    return new UniferumError('storage-full', `The store "${store}" is full. Nothing was lost.`, {
      ...options,
      retryAfterSeconds: AWAY_RETRY_S,
    });
  return null;
}
