import { readProblem, UniferumConnectionError } from './errors.js';
import { explainSilence } from './silence.js';

export interface ClientOptions {
  /** The URL of the installation, without `/api/v1`. @defaultValue the page's own origin */
  baseUrl?: string;
  /** An API key or a token, or a function that gives the current one. Absent in the console, which uses a session. */
  key?: string | (() => string | null);
  fetch?: typeof fetch;
  /** The timeout until an answer begins, in milliseconds. @defaultValue 30000 */
  timeoutMs?: number;
  /** The maximum number of retries of a request that is safe to repeat. @defaultValue 2 */
  retries?: number;
}

export interface CallOptions {
  signal?: AbortSignal;
  /** Makes a change only if this is still the entity tag of the current state; otherwise it fails with 412. */
  ifMatch?: string;
  /** Names one attempt to do something: repeating a POST with the same key does nothing twice. @defaultValue a new key */
  idempotencyKey?: string;
}

/** Something with the entity tag of its state, for {@link CallOptions.ifMatch}. */
export interface Tagged<Value> {
  value: Value;
  etag: string;
}

export interface Call extends CallOptions {
  method?: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE' | 'HEAD';
  query?: object;
  json?: unknown;
  /** A function gives a new stream for each attempt, with its content type. */
  body?: BodyInit | (() => { stream: ReadableStream<Uint8Array>; type: string });
  headers?: Record<string, string>;
  /** False for bodies of unlimited duration. @defaultValue true */
  hasTimeout?: boolean;
}

const API_BASE = '/api/v1';
const REPEATABLE_STATUS = new Set([429, 502, 503, 504]);
/** How long to wait for a request that is already in progress. */
const IN_PROGRESS_MS = 60_000;

/** Sends requests: adds the key, retries where safe, and converts problems to errors. */
export class Http {
  readonly baseUrl: string;
  readonly #options: Required<Omit<ClientOptions, 'baseUrl' | 'key'>> & { key: () => string | null };

  constructor({
    baseUrl = '',
    key,
    fetch: send = globalThis.fetch,
    timeoutMs = 30_000,
    retries = 2,
  }: ClientOptions) {
    this.baseUrl = baseUrl.replace(/\/+$/, '');
    this.#options = {
      key: typeof key === 'function' ? key : () => key ?? null,
      fetch: send.bind(globalThis),
      timeoutMs,
      retries,
    };
  }

  /** Requests JSON. An answer without a body gives undefined. */
  async json<Result>(path: string, call: Call = {}): Promise<Result> {
    const text = await (await this.send(path, call)).text();
    return (text === '' ? undefined : JSON.parse(text)) as Result;
  }

  /** Requests JSON together with the entity tag of its state. */
  async tagged<Value>(path: string, call: Call = {}): Promise<Tagged<Value>> {
    const response = await this.send(path, call);
    return { value: (await response.json()) as Value, etag: response.headers.get('etag') ?? '' };
  }

  /** Sends a request. @throws UniferumApiError, UniferumConnectionError, or the signal's reason */
  async send(path: string, call: Call = {}): Promise<Response> {
    const method = call.method ?? 'GET';
    const headers = this.headers(call.headers);
    if (call.json !== undefined) headers['Content-Type'] = 'application/json';
    if (call.ifMatch !== undefined) headers['If-Match'] = call.ifMatch;
    if (call.idempotencyKey !== undefined) headers['Idempotency-Key'] = call.idempotencyKey;
    // The Idempotency-Key makes a POST safe to repeat.
    if (method === 'POST' && (call.json !== undefined || call.body === undefined))
      headers['Idempotency-Key'] ??= crypto.randomUUID();
    const isRepeatable = call.body === undefined || 'Idempotency-Key' in headers;
    const response = await this.repeat(
      (isLast) => this.#attempt(this.url(path, call.query), { ...call, method, headers }, isLast),
      { isRepeatable, signal: call.signal },
    );
    if (response.ok) return response;
    throw await readProblem(response.status, await response.text());
  }

  /**
   * Retries a request while that is safe and useful: after a lost connection or when the server is busy, up to the
   * configured number of times; while the first request is still in progress, for a minute.
   *
   * @param attempt returns null when the connection was lost; on the last attempt it throws instead
   */
  async repeat<Answer extends Pick<Response, 'status' | 'headers'>>(
    attempt: (isLast: boolean) => Promise<Answer | null>,
    { isRepeatable, signal }: { isRepeatable: boolean; signal?: AbortSignal | undefined },
  ): Promise<Answer> {
    const until = Date.now() + IN_PROGRESS_MS;
    for (let failures = 0; ; ) {
      const isLast = !isRepeatable || failures >= this.#options.retries;
      const answer = await attempt(isLast);
      const retryAfter = answer?.headers.get('retry-after') ?? null;
      const isInProgress = answer?.status === 409 && retryAfter !== null && Date.now() < until;
      if (!(isRepeatable && isInProgress)) {
        if (answer && (isLast || !REPEATABLE_STATUS.has(answer.status))) return answer;
        failures += 1;
      }
      await pause(retryDelayMs(failures, retryAfter), signal);
    }
  }

  /** Sends one request to a complete URL without changes; any answer is returned. @throws UniferumConnectionError */
  async sendTo(url: string, call: Call): Promise<Response> {
    const method = call.method ?? 'GET';
    const response = await this.#attempt(
      url,
      { ...call, method, headers: this.headers(call.headers), hasTimeout: false },
      true,
    );
    if (response === null) throw new UniferumConnectionError('unreachable', `${url} could not be reached.`);
    return response;
  }

  /** The complete URL of an API path. */
  url(path: string, query: object = {}): string {
    const search = new URLSearchParams();
    for (const [name, value] of Object.entries(query))
      if (value !== undefined && value !== null) search.set(name, String(value));
    return `${this.baseUrl}${API_BASE}${path}${search.size > 0 ? `?${search}` : ''}`;
  }

  headers(extra: Record<string, string> = {}): Record<string, string> {
    const key = this.#options.key();
    return {
      Accept: 'application/json',
      ...(key !== null && { Authorization: `Bearer ${key}` }),
      ...extra,
    };
  }

  /** @returns null when the connection was lost and a retry is allowed */
  async #attempt(
    url: string,
    {
      signal,
      json,
      body,
      hasTimeout = true,
      method,
      headers,
    }: Call & { method: string; headers: Record<string, string> },
    isLast: boolean,
  ): Promise<Response | null> {
    signal?.throwIfAborted();
    if (this.baseUrl === '' && typeof location === 'undefined')
      throw new UniferumConnectionError(
        'no-base-url',
        'The client was not told where Uniferum is. Pass its address: createClient({ baseUrl: "https://media.example.org" }).',
      );
    const timeout = hasTimeout ? AbortSignal.timeout(this.#options.timeoutMs) : null;
    const limits = [...(signal ? [signal] : []), ...(timeout ? [timeout] : [])];
    try {
      const streamed = typeof body === 'function' ? body() : null;
      return await this.#options.fetch(url, {
        method,
        headers: { ...headers, ...(streamed && { 'Content-Type': streamed.type }) },
        signal: AbortSignal.any(limits),
        credentials: 'same-origin',
        ...(json !== undefined && { body: JSON.stringify(json) }),
        ...(typeof body !== 'function' && body !== undefined && { body }),
        ...(streamed && { body: streamed.stream, duplex: 'half' }),
      });
    } catch (error) {
      if (signal?.aborted) throw signal.reason;
      if (!isLast) return null;
      throw await explainSilence(url, {
        error,
        isTimeout: timeout?.aborted === true,
        timeoutMs: this.#options.timeoutMs,
      });
    }
  }
}

function retryDelayMs(attempt: number, retryAfter: string | null): number {
  const seconds = Number(retryAfter ?? Number.NaN);
  return retryAfter !== null && Number.isFinite(seconds)
    ? Math.min(seconds * 1000, 10_000)
    : 100 * 2 ** attempt;
}

/** Waits, unless the signal aborts. */
export function pause(ms: number, signal: AbortSignal | undefined): Promise<void> {
  return new Promise((resolve, reject) => {
    if (signal?.aborted) return reject(signal.reason);
    const stop = () => {
      clearTimeout(timer);
      reject(signal?.reason);
    };
    const timer = setTimeout(() => {
      signal?.removeEventListener('abort', stop);
      resolve();
    }, ms);
    signal?.addEventListener('abort', stop, { once: true });
  });
}
