import { timingSafeEqual } from 'node:crypto';
import type { IncomingMessage } from 'node:http';
import { BucketError } from './bucket-error.js';
import { ALGORITHM, canonicalRequest, type Scope, scopeText, sign, stringToSign } from './signature.js';

/** The address of a request, as sent. */
export interface Target {
  /** Percent-encoded. */
  path: string;
  query: URLSearchParams;
}

/** Somebody who may sign requests. */
export interface Account {
  accessKey: string;
  secret: string;
  /** May read, and change nothing. */
  isReadOnly?: boolean;
}

/** Whose signature a request carries. */
export interface Signer {
  account: Account;
  scope: Scope;
  /** YYYYMMDDTHHMMSSZ */
  date: string;
  signature: string;
  /** The value of `x-amz-content-sha256`. */
  payload: string;
}

/** A request's clock may differ by this much. */
const MAX_SKEW_MS = 15 * 60_000;
/** An address may be valid for a week at most. */
const LONGEST_EXPIRY_S = 7 * 24 * 3600;

/**
 * Verifies the signature of a request, in its header or in its address.
 *
 * @returns null for an unsigned request
 * @throws BucketError for a wrong key, secret, clock or scope
 */
export function authenticate(
  req: IncomingMessage,
  target: Target,
  accounts: readonly Account[],
  { region, now }: { region: string; now: Date },
): Signer | null {
  const header = req.headers.authorization;
  const isPresigned = target.query.has('X-Amz-Signature');
  if (header === undefined && !isPresigned) return null;
  const claim = header === undefined ? readPresigned(target.query) : readHeader(req, header);
  const account = accounts.find(({ accessKey }) => accessKey === claim.accessKey);
  if (!account) throw new BucketError('InvalidAccessKeyId', 'The access key does not exist in our records.');
  if (claim.scope.region !== region)
    throw new BucketError(
      'AuthorizationHeaderMalformed',
      `The region '${claim.scope.region}' is wrong; expecting '${region}'.`,
    );
  checkClock(claim, now, isPresigned);
  const query = [...target.query].filter(([name]) => name !== 'X-Amz-Signature');
  const canonical = canonicalRequest({
    method: req.method ?? 'GET',
    path: target.path,
    query,
    headers: headersOf(req),
    signedHeaders: claim.signedHeaders,
    payload: claim.payload,
  });
  const expected = sign(account.secret, claim.scope, stringToSign(claim.date, claim.scope, canonical));
  if (!isEqual(expected, claim.signature))
    throw new BucketError(
      'SignatureDoesNotMatch',
      'The signature does not match the one calculated. Check the secret and the signing method.',
    );
  return { account, scope: claim.scope, date: claim.date, signature: expected, payload: claim.payload };
}

interface Claim {
  accessKey: string;
  scope: Scope;
  date: string;
  signedHeaders: readonly string[];
  signature: string;
  payload: string;
  expiresS: number | null;
}

function readHeader(req: IncomingMessage, header: string): Claim {
  const [, credential, signedHeaders, signature] =
    /^AWS4-HMAC-SHA256\s+Credential=([^,\s]+),\s*SignedHeaders=([^,\s]+),\s*Signature=([0-9a-f]{64})$/.exec(
      header,
    ) ?? [];
  const date = req.headers['x-amz-date'];
  const payload = req.headers['x-amz-content-sha256'];
  if (!credential || !signedHeaders || !signature || typeof date !== 'string' || typeof payload !== 'string')
    throw new BucketError('AuthorizationHeaderMalformed', 'The authorization header is malformed.');
  const names = signedHeaders.split(';');
  const unsigned = Object.keys(req.headers).find(
    (name) => (name === 'host' || name.startsWith('x-amz-')) && !names.includes(name),
  );
  if (unsigned !== undefined)
    throw new BucketError('AccessDenied', `There were headers that were not signed: ${unsigned}`);
  return { ...readCredential(credential), date, signedHeaders: names, signature, payload, expiresS: null };
}

function readPresigned(query: URLSearchParams): Claim {
  const read = (name: string) => query.get(name) ?? '';
  const expiresS = Number(read('X-Amz-Expires'));
  if (read('X-Amz-Algorithm') !== ALGORITHM || !(expiresS > 0 && expiresS <= LONGEST_EXPIRY_S))
    throw new BucketError(
      'AuthorizationHeaderMalformed',
      'The query parameters of the signature are malformed.',
    );
  return {
    ...readCredential(read('X-Amz-Credential')),
    date: read('X-Amz-Date'),
    signedHeaders: read('X-Amz-SignedHeaders').split(';'),
    signature: read('X-Amz-Signature'),
    payload: 'UNSIGNED-PAYLOAD',
    expiresS,
  };
}

function readCredential(credential: string): Pick<Claim, 'accessKey' | 'scope'> {
  const [accessKey = '', day = '', region = '', service = '', end] = credential.split('/');
  if (end !== 'aws4_request' || service !== 's3')
    throw new BucketError('AuthorizationHeaderMalformed', 'The credential is malformed.');
  return { accessKey, scope: { day, region, service } };
}

function checkClock({ date, scope, expiresS }: Claim, now: Date, isPresigned: boolean): void {
  const at = readDate(date);
  if (Number.isNaN(at) || !date.startsWith(scope.day))
    throw new BucketError(
      'AuthorizationHeaderMalformed',
      `The date ${date} doesn't fit the scope ${scopeText(scope)}.`,
    );
  const late = now.getTime() - at;
  if (isPresigned && late > (expiresS ?? 0) * 1000)
    throw new BucketError('AccessDenied', 'Request has expired');
  if (late < -MAX_SKEW_MS || (!isPresigned && late > MAX_SKEW_MS))
    throw new BucketError(
      'RequestTimeTooSkewed',
      'The difference between the request time and the current time is too large.',
    );
}

function readDate(date: string): number {
  const [, y, m, d, hour, minute, second] = /^(\d{4})(\d\d)(\d\d)T(\d\d)(\d\d)(\d\d)Z$/.exec(date) ?? [];
  return Date.parse(`${y}-${m}-${d}T${hour}:${minute}:${second}Z`);
}

function headersOf(req: IncomingMessage): Map<string, string> {
  return new Map(
    Object.entries(req.headers).map(([name, value]) => [
      name,
      Array.isArray(value) ? value.join(',') : (value ?? ''),
    ]),
  );
}

function isEqual(a: string, b: string): boolean {
  return a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));
}
