import { createHash, createHmac } from 'node:crypto';

/** The signing algorithm of the common bucket interface, version 4. */
export const ALGORITHM = 'AWS4-HMAC-SHA256';
/** The digest of an empty body. */
export const EMPTY_SHA256 = createHash('sha256').digest('hex');

/** What a signature covers: day, region and service. */
export interface Scope {
  /** YYYYMMDD */
  day: string;
  region: string;
  service: string;
}

/** A request as far as a signature covers it. */
export interface SignedRequest {
  method: string;
  /** The path as sent, percent-encoded. */
  path: string;
  /** Names and values, decoded; without the signature itself. */
  query: readonly (readonly [string, string])[];
  headers: ReadonlyMap<string, string>;
  /** Lower-case names, sorted. */
  signedHeaders: readonly string[];
  /** The SHA-256 of the body, or a word that stands for it. */
  payload: string;
}

/** Percent-encodes everything outside RFC 3986's unreserved characters. */
export function encodeUri(text: string): string {
  return encodeURIComponent(text).replace(
    /[!'()*]/g,
    (character) => `%${character.charCodeAt(0).toString(16).toUpperCase()}`,
  );
}

/** Task 1 of the signing process: the canonical form of a request. */
export function canonicalRequest({
  method,
  path,
  query,
  headers,
  signedHeaders,
  payload,
}: SignedRequest): string {
  const pairs = query.map(([name, value]) => [encodeUri(name), encodeUri(value)] as const);
  pairs.sort(([a, x], [b, y]) => compare(a, b) || compare(x, y));
  return [
    method,
    canonicalPath(path),
    pairs.map((pair) => pair.join('=')).join('&'),
    ...signedHeaders.map((name) => `${name}:${(headers.get(name) ?? '').trim().replace(/ +/g, ' ')}`),
    '',
    signedHeaders.join(';'),
    payload,
  ].join('\n');
}

/** Task 2: the text that is signed. @param date YYYYMMDDTHHMMSSZ */
export function stringToSign(date: string, scope: Scope, canonical: string): string {
  return [ALGORITHM, date, scopeText(scope), sha256(canonical)].join('\n');
}

/** Task 3: the signature, in hexadecimal. */
export function sign(secret: string, scope: Scope, text: string): string {
  return createHmac('sha256', signingKey(secret, scope)).update(text).digest('hex');
}

/** The text whose signature accompanies one chunk of a body sent in signed chunks. */
export function chunkToSign(date: string, scope: Scope, previous: string, chunk: Uint8Array): string {
  return [`${ALGORITHM}-PAYLOAD`, date, scopeText(scope), previous, EMPTY_SHA256, sha256(chunk)].join('\n');
}

export function scopeText({ day, region, service }: Scope): string {
  return `${day}/${region}/${service}/aws4_request`;
}

function signingKey(secret: string, { day, region, service }: Scope): Buffer {
  return [day, region, service, 'aws4_request'].reduce<Buffer>(
    (key, part) => createHmac('sha256', key).update(part).digest(),
    Buffer.from(`AWS4${secret}`),
  );
}

/** Every segment decoded once and encoded the one canonical way. */
function canonicalPath(path: string): string {
  return path
    .split('/')
    .map((segment) => encodeUri(decodeURIComponent(segment)))
    .join('/');
}

function sha256(data: string | Uint8Array): string {
  return createHash('sha256').update(data).digest('hex');
}

function compare(a: string, b: string): number {
  return a < b ? -1 : a > b ? 1 : 0;
}
