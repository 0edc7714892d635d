import type { Verdict } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { isUniferumApiError, readProblem, UniferumConnectionError } from './errors.js';
import type { Http } from './http.js';

/** A file to upload. In Node.js, `fs.openAsBlob(path)` returns a blob that is streamed from disk. */
export interface UploadFile {
  name: string;
  data: Blob;
  /** Its own folder path, if it differs from the request's. */
  folder?: string;
}

/** The target of uploaded files, and their texts. */
export interface UploadTarget {
  /** The folder path; created when missing. */
  folder: string;
  /** The intake that the files belong to. */
  intake?: string;
  title?: string;
  alt?: string;
  caption?: string;
  credit?: string;
  keywords?: readonly string[];
}

/** An {@link UploadTarget} as form fields or tus metadata, without absent values. */
export function targetFields(target: UploadTarget): [name: string, value: string][] {
  const { folder, intake, title, alt, caption, credit, keywords } = target;
  const fields = { folder, intake, title, alt, caption, credit, keywords: keywords?.join(',') };
  return Object.entries(fields).filter((field): field is [string, string] => field[1] !== undefined);
}

export interface UploadRequest extends UploadTarget {
  files: readonly UploadFile[];
  /** Makes retries harmless. @defaultValue a new one */
  idempotencyKey?: string;
  signal?: AbortSignal;
  /** Reports bytes sent (continuously in browsers; elsewhere once, at the end). */
  onProgress?: (sentBytes: number) => void;
}

/** The result for one file. */
export interface UploadResult {
  name: string;
  verdict: Verdict;
  asset: Asset | null;
}

/** Uploads files in one request, in order. A refused file is a result and not an error. */
export async function uploadFiles(http: Http, request: UploadRequest): Promise<UploadResult[]> {
  const form = toForm(request);
  const headers = http.headers({ 'Idempotency-Key': request.idempotencyKey ?? crypto.randomUUID() });
  const send = typeof XMLHttpRequest === 'undefined' ? sendByFetch : sendByXhr;
  try {
    const { status, text } = await send(http, form, headers, request);
    if (status >= 400) throw await readProblem(status, text);
    return readResults(status, JSON.parse(text));
  } catch (error) {
    if (isUniferumApiError(error) && error.problem.verdict)
      return [{ name: error.problem.verdict.name, verdict: error.problem.verdict, asset: null }];
    throw error;
  }
}

interface RawAnswer {
  status: number;
  text: string;
}

function toForm(request: UploadRequest): FormData {
  const form = new FormData();
  // The server judges files as they arrive, so the fields they depend on come first.
  for (const [name, value] of targetFields(request)) form.append(name, value);
  let current = request.folder;
  for (const file of request.files) {
    const own = file.folder ?? request.folder;
    // A field applies to the files after it, until it is repeated.
    if (own !== current) form.append('folder', own);
    current = own;
    form.append('file', file.data, file.name);
  }
  return form;
}

function readResults(
  status: number,
  body: Asset & { results?: { name: string; verdict: Verdict; asset?: Asset }[] },
): UploadResult[] {
  if (status === 207)
    return (body.results ?? []).map(({ name, verdict, asset }) => ({ name, verdict, asset: asset ?? null }));
  return [{ name: body.verdict.name, verdict: body.verdict, asset: body }];
}

async function sendByFetch(
  http: Http,
  form: FormData,
  headers: Record<string, string>,
  { signal, files, onProgress }: UploadRequest,
): Promise<RawAnswer> {
  const response = await http.send('/assets', {
    method: 'POST',
    body: form,
    headers,
    hasTimeout: false,
    ...(signal && { signal }),
  });
  onProgress?.(files.reduce((sum, { data }) => sum + data.size, 0));
  return { status: response.status, text: await response.text() };
}

async function sendByXhr(
  http: Http,
  form: FormData,
  headers: Record<string, string>,
  request: UploadRequest,
): Promise<RawAnswer> {
  return http.repeat((isLast) => attemptByXhr(http, form, headers, request, isLast), {
    isRepeatable: true,
    signal: request.signal,
  });
}

/** In browsers, only this API reports upload progress. */
function attemptByXhr(
  http: Http,
  form: FormData,
  headers: Record<string, string>,
  { signal, onProgress }: UploadRequest,
  isLast: boolean,
): Promise<(RawAnswer & { headers: Headers }) | null> {
  return new Promise((resolve, reject) => {
    const xhr = new XMLHttpRequest();
    xhr.open('POST', http.url('/assets'));
    for (const [name, value] of Object.entries(headers)) xhr.setRequestHeader(name, value);
    xhr.upload.onprogress = ({ loaded }) => onProgress?.(loaded);
    xhr.onload = () => {
      const retryAfter = xhr.getResponseHeader('retry-after');
      resolve({
        status: xhr.status,
        text: xhr.responseText,
        headers: new Headers(retryAfter === null ? {} : { 'Retry-After': retryAfter }),
      });
    };
    xhr.onerror = () => {
      if (isLast)
        reject(
          new UniferumConnectionError(
            'The connection was lost during the upload. Send the files again; completed ones are recognised.',
          ),
        );
      else resolve(null);
    };
    xhr.onabort = () => reject(signal?.reason ?? new DOMException('The upload was stopped', 'AbortError'));
    signal?.addEventListener('abort', () => xhr.abort());
    xhr.send(form);
  });
}

/** Uploads a zip archive that is unpacked on arrival. @returns the ids of the batch and of the run */
export async function sendArchive(
  http: Http,
  {
    name,
    data,
    folder,
    ownFolder = false,
  }: { name: string; data: Blob; folder: string; ownFolder?: boolean },
  { signal }: { signal?: AbortSignal } = {},
): Promise<{ intake: string; run: string }> {
  const form = new FormData();
  form.append('folder', folder);
  form.append('unpack', 'true');
  form.append('ownFolder', String(ownFolder));
  form.append('file', data, name);
  return http.json('/assets', {
    method: 'POST',
    body: form,
    headers: { 'Idempotency-Key': crypto.randomUUID() },
    hasTimeout: false,
    ...(signal && { signal }),
  });
}
