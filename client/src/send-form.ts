import { UniferumConnectionError } from './errors.js';
import type { Http } from './http.js';
import { explainSilence } from './silence.js';
import type { ProgressReporter } from './upload-progress.js';

interface Sending {
  signal: AbortSignal | undefined;
  progress: ProgressReporter;
}

/** An answer of any status. */
export interface RawAnswer {
  status: number;
  text: string;
}

/** Sends a form, and reports how much of it was sent. Repeating it is harmless: it has an Idempotency-Key. */
export function sendForm(
  http: Http,
  form: FormData,
  headers: Record<string, string>,
  sending: Sending,
): Promise<RawAnswer> {
  const send = typeof XMLHttpRequest === 'undefined' ? sendByFetch : sendByXhr;
  return send(http, form, headers, sending);
}

async function sendByFetch(
  http: Http,
  form: FormData,
  headers: Record<string, string>,
  { signal, progress }: Sending,
): Promise<RawAnswer> {
  const response = await http.send('/assets', {
    method: 'POST',
    body: !progress.isWanted
      ? form
      : () => {
          // As a stream, so that what has been taken from it can be counted.
          const encoded = new Response(form);
          return {
            stream: counted(encoded.body as ReadableStream<Uint8Array>, progress),
            type: encoded.headers.get('content-type') ?? '',
          };
        },
    headers,
    hasTimeout: false,
    ...(signal && { signal }),
  });
  progress.report(progress.bytes);
  return { status: response.status, text: await response.text() };
}

function counted(body: ReadableStream<Uint8Array>, progress: ProgressReporter): ReadableStream<Uint8Array> {
  let sent = 0;
  return body.pipeThrough(
    new TransformStream<Uint8Array, Uint8Array>({
      transform(piece, controller) {
        sent += piece.byteLength;
        progress.report(sent);
        controller.enqueue(piece);
      },
    }),
  );
}

async function sendByXhr(
  http: Http,
  form: FormData,
  headers: Record<string, string>,
  sending: Sending,
): Promise<RawAnswer> {
  return http.repeat((isLast) => attemptByXhr(http, form, headers, sending, isLast), {
    isRepeatable: true,
    signal: sending.signal,
  });
}

/** In browsers, only this API reports upload progress. */
function attemptByXhr(
  http: Http,
  form: FormData,
  headers: Record<string, string>,
  { signal, progress }: Sending,
  isLast: boolean,
): Promise<(RawAnswer & { headers: Headers }) | null> {
  return new Promise((resolve, reject) => {
    if (signal?.aborted) return reject(signal.reason);
    const url = http.url('/assets');
    const xhr = new XMLHttpRequest();
    xhr.open('POST', url);
    for (const [name, value] of Object.entries(headers)) xhr.setRequestHeader(name, value);
    xhr.upload.onprogress = ({ loaded }) => progress.report(loaded);
    xhr.onload = () => {
      progress.report(progress.bytes);
      const retryAfter = xhr.getResponseHeader('retry-after');
      resolve({
        status: xhr.status,
        text: xhr.responseText,
        headers: new Headers(retryAfter === null ? {} : { 'Retry-After': retryAfter }),
      });
    };
    xhr.onerror = () => {
      if (!isLast) resolve(null);
      else
        explainSilence(url, { error: null, isTimeout: false, timeoutMs: 0 }).then(
          ({ code, message }) =>
            reject(
              new UniferumConnectionError(
                code,
                code === 'blocked'
                  ? message
                  : 'The connection was lost during the upload. Send the files again; completed ones are recognised.',
              ),
            ),
          reject,
        );
    };
    xhr.onabort = () => reject(signal?.reason ?? new DOMException('The upload was stopped', 'AbortError'));
    signal?.addEventListener('abort', () => xhr.abort(), { once: true });
    xhr.send(form);
  });
}
