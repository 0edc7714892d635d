import { lookup as lookupAll } from 'node:dns';
import { connect, type LookupFunction, type Socket } from 'node:net';
import { formatBytes } from '@uniferum/core/intake';
import ipaddr from 'ipaddr.js';
import { Agent, type Dispatcher, request } from 'undici';
import type { Config } from './config.js';

/** Why a URL could not be fetched, in a sentence. `mayRetry` is true when a retry may succeed. */
export class FetchFailure extends Error {
  readonly mayRetry: boolean;
  /** Set for a private target: libraries that pass an error on keep its code, not its class. */
  code?: typeof PRIVATE_TARGET;
  /** The status of the answer; null when there was none. */
  readonly status: number | null;
  /** How long the host asks to wait, in seconds; null when it doesn't. */
  readonly retryAfterSeconds: number | null;

  constructor(
    message: string,
    {
      mayRetry = false,
      status = null,
      retryAfterSeconds = null,
      cause,
    }: {
      mayRetry?: boolean;
      status?: number | null;
      retryAfterSeconds?: number | null;
      cause?: unknown;
    } = {},
  ) {
    super(message, cause === undefined ? {} : { cause });
    this.mayRetry = mayRetry;
    this.status = status;
    this.retryAfterSeconds = retryAfterSeconds;
  }
}

export const PRIVATE_TARGET = 'PRIVATE_TARGET';

/** A response with a streaming body. The receiver reads the body or destroys it. */
export interface Fetched {
  /** The final URL after redirects. */
  url: string;
  mime: string | null;
  disposition: string | null;
  bytes: number | null;
  /** Validators of HTTP. Source: RFC 9110, section 8.8. */
  etag: string | null;
  lastModified: string | null;
  /** The origin whose pages may read it. Source: Fetch, 3.3.3. */
  allowOrigin: string | null;
  body: Dispatcher.ResponseData['body'];
}

export interface FetchOptions {
  method?: 'GET' | 'HEAD' | 'POST';
  headers?: Record<string, string>;
  body?: string;
  /** The timeout for the response header, and between two chunks of the body, in milliseconds. @defaultValue 15000 */
  timeoutMs?: number;
  signal?: AbortSignal;
}

const MAX_REDIRECTS = 5;
const REDIRECTS = new Set([301, 302, 303, 307, 308]);

/**
 * Fetches a user-supplied URL. Private, loopback and link-local targets are rejected unless the configuration names
 * them. The name is resolved once and the connection uses that address, so that it cannot change in between; each
 * redirect is checked again.
 *
 * @throws FetchFailure
 */
export async function fetchAddress(
  config: Pick<Config, 'allowedHosts'>,
  address: string,
  options: FetchOptions = {},
): Promise<Fetched> {
  let url = readUrl(address);
  for (let hops = 0; hops <= MAX_REDIRECTS; hops += 1) {
    const answer = await ask(config, url, options);
    const location = answer.headers.location;
    if (REDIRECTS.has(answer.statusCode) && typeof location === 'string') {
      answer.body.destroy();
      url = readUrl(location, url);
      continue;
    }
    if (answer.statusCode < 200 || answer.statusCode > 299) {
      answer.body.destroy();
      throw new FetchFailure(`${url.host} answered with status ${answer.statusCode}`, {
        mayRetry: answer.statusCode >= 500 || answer.statusCode === 429,
        status: answer.statusCode,
        retryAfterSeconds: readSeconds(answer.headers['retry-after']),
      });
    }
    const header = (name: string) => {
      const value = answer.headers[name];
      return typeof value === 'string' ? value : null;
    };
    const length = Number(header('content-length') ?? Number.NaN);
    return {
      url: url.href,
      mime: header('content-type')?.split(';')[0]?.trim().toLowerCase() ?? null,
      disposition: header('content-disposition'),
      bytes: Number.isSafeInteger(length) ? length : null,
      etag: header('etag'),
      lastModified: header('last-modified'),
      allowOrigin: header('access-control-allow-origin'),
      body: answer.body,
    };
  }
  throw new FetchFailure(`it was redirected more than ${MAX_REDIRECTS} times`);
}

/**
 * Reads the body of an answer into memory.
 *
 * @throws FetchFailure when it is larger than `limitBytes`, or breaks off
 */
export async function readBody({ url, body }: Fetched, limitBytes: number): Promise<Buffer> {
  const parts: Buffer[] = [];
  let bytes = 0;
  try {
    for await (const part of body as AsyncIterable<Buffer>) {
      bytes += part.length;
      if (bytes > limitBytes) throw new FetchFailure(`${url} is larger than ${formatBytes(limitBytes)}`);
      parts.push(part);
    }
  } catch (error) {
    throw toFailure(error, new URL(url));
  } finally {
    body.destroy();
  }
  return Buffer.concat(parts);
}

/** The seconds of `Retry-After`; a date is taken for none. */
function readSeconds(header: string | string[] | undefined): number | null {
  return typeof header === 'string' && /^\d{1,6}$/.test(header) ? Number(header) : null;
}

function readUrl(text: string, base?: URL): URL {
  let url: URL;
  try {
    url = new URL(text, base);
  } catch {
    throw new FetchFailure(`"${text}" is not a URL`);
  }
  if (url.protocol !== 'http:' && url.protocol !== 'https:')
    throw new FetchFailure(`${url.protocol} is not supported; use an http or https URL`);
  if (url.username || url.password)
    throw new FetchFailure('the URL contains a user name or password; remove them');
  return url;
}

async function ask(
  config: Pick<Config, 'allowedHosts'>,
  url: URL,
  { method = 'GET', headers = {}, body, timeoutMs = 15_000, signal }: FetchOptions,
): Promise<Dispatcher.ResponseData> {
  const isAllowed = config.allowedHosts.has(url.host) || config.allowedHosts.has(url.hostname);
  const literal = url.hostname.replace(/^\[|\]$/g, '');
  if (!isAllowed && ipaddr.isValid(literal) && !isPublic(literal)) throw privateTarget(url.host);
  const dispatcher = new Agent({
    connect: { timeout: timeoutMs, ...(!isAllowed && { lookup: lookupPublic }) },
    headersTimeout: timeoutMs,
    bodyTimeout: timeoutMs,
    maxHeaderSize: 32_768,
  });
  try {
    const answer = await request(url, {
      dispatcher,
      method,
      headers: { 'user-agent': 'Uniferum', accept: '*/*', 'accept-encoding': 'identity', ...headers },
      ...(body !== undefined && { body }),
      ...(signal && { signal }),
    });
    // The reader handles errors; an unread body must not end the process.
    answer.body.on('error', () => {});
    answer.body.once('close', () => void dispatcher.destroy().catch(() => {}));
    return answer;
  } catch (error) {
    await dispatcher.destroy().catch(() => {});
    signal?.throwIfAborted();
    throw toFailure(error, url);
  }
}

/**
 * Connects to a host that a user named, with the limits of {@link fetchAddress}.
 *
 * @throws FetchFailure when its address is private; what else fails is an error of the socket
 */
export function connectTo(
  config: Pick<Config, 'allowedHosts'>,
  { host, port }: { host: string; port: number },
): Socket {
  const lookup = lookupFor(config, { host, port });
  return connect({ host, port, ...(lookup && { lookup }) });
}

/**
 * The lookup for connections that a library makes to a host that a user named, with the limits of {@link fetchAddress}.
 *
 * @returns undefined where any address may be used
 * @throws FetchFailure when the host is a private address itself, which is never looked up
 */
export function lookupFor(
  config: Pick<Config, 'allowedHosts'>,
  { host, port }: { host: string; port: number },
): LookupFunction | undefined {
  if (config.allowedHosts.has(`${host}:${port}`) || config.allowedHosts.has(host)) return undefined;
  if (ipaddr.isValid(host) && !isPublic(host)) throw privateTarget(host);
  return lookupPublic;
}

function toFailure(error: unknown, url: URL): FetchFailure {
  if (error instanceof FetchFailure) return error;
  const cause = error instanceof Error ? error : new Error(String(error));
  if (cause.cause instanceof FetchFailure) return cause.cause;
  const code = 'code' in cause ? String(cause.code) : '';
  if (code === 'ENOTFOUND') return new FetchFailure(`there is no host ${url.hostname}`, { cause });
  if (/TIMEOUT/.test(code))
    return new FetchFailure(`${url.host} did not answer in time`, { mayRetry: true, cause });
  return new FetchFailure(`${url.host} can't be reached: ${cause.message}`, { mayRetry: true, cause });
}

/** Resolves a name and allows public addresses only; Node connects to exactly the returned one. */
const lookupPublic: LookupFunction = (hostname, options, callback) => {
  lookupAll(hostname, { ...options, all: true }, (error, addresses) => {
    if (error) {
      callback(error, '', 0);
      return;
    }
    const found = addresses.filter(({ address }) => isPublic(address));
    if (found.length === 0 || found.length < addresses.length) {
      callback(privateTarget(hostname), '', 0);
      return;
    }
    const [first] = found;
    if (options.all) callback(null, found as never, 0);
    else callback(null, first?.address ?? '', first?.family);
  });
};

function isPublic(address: string): boolean {
  const parsed = ipaddr.process(address);
  return parsed.range() === 'unicast';
}

function privateTarget(host: string): FetchFailure {
  const failure = new FetchFailure(
    `${host} is in a private network, which is blocked. An administrator can allow it with UNIFERUM_ALLOWED_HOSTS`,
  );
  failure.code = PRIVATE_TARGET;
  return failure;
}
