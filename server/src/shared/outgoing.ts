import { lookup as lookupAll } from 'node:dns';
import type { LookupFunction } from 'node:net';
import ipaddr from 'ipaddr.js';
import { Agent, type Dispatcher, request } from 'undici';
import type { Config } from './config.js';

/** Why a URL could not be fetched, in a sentence. `mayRetry` is true when a retry may succeed. */
export class FetchFailure extends Error {
  readonly mayRetry: boolean;

  constructor(message: string, { mayRetry = false, cause }: { mayRetry?: boolean; cause?: unknown } = {}) {
    super(message, cause === undefined ? {} : { cause });
    this.mayRetry = mayRetry;
  }
}

/** A response with a streaming body. The receiver reads the body or destroys it. */
export interface Fetched {
  /** The final URL after redirects. */
  url: string;
  mime: string | null;
  disposition: string | null;
  bytes: number | null;
  body: Dispatcher.ResponseData['body'];
}

export interface FetchOptions {
  method?: 'GET' | 'POST';
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
      body: answer.body,
    };
  }
  throw new FetchFailure(`it was redirected more than ${MAX_REDIRECTS} times`);
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
  return new FetchFailure(
    `${host} is in a private network, which is blocked. An administrator can allow it with UNIFERUM_ALLOWED_HOSTS`,
  );
}
