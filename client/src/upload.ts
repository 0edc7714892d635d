import type { Verdict } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { isUniferumApiError, readProblem } from './errors.js';
import type { Http } from './http.js';
import { sendForm } from './send-form.js';
import { type PreparedData, prepareData, type UploadData } from './upload-data.js';
import { type FileProgress, ProgressReporter } from './upload-progress.js';

/** A file to upload. */
export interface UploadFile {
  /** @defaultValue what the data says: the name of a `File`, the end of a path or of an address */
  name?: string;
  data: UploadData;
  /** Its own folder path, if it differs from the request's. */
  folder?: string;
}

/** The target of uploaded files, and their texts. */
export interface UploadTarget {
  /** The folder path; created when missing. */
  folder: string;
  /** The intake that the files belong to. */
  intake?: string;
  /** False: a file whose name is taken is refused, and not renamed. @defaultValue true */
  rename?: boolean;
  title?: string;
  alt?: string;
  caption?: string;
  credit?: string;
  keywords?: readonly string[];
}

/** An {@link UploadTarget} as form fields or tus metadata, without absent values. */
export function targetFields(target: UploadTarget): [name: string, value: string][] {
  const { folder, intake, rename, title, alt, caption, credit, keywords } = target;
  const fields = {
    ...{ folder, intake, rename: rename === undefined ? undefined : String(rename) },
    ...{ title, alt, caption, credit, keywords: keywords?.join(',') },
  };
  return Object.entries(fields).filter((field): field is [string, string] => field[1] !== undefined);
}

export interface UploadRequest extends UploadTarget {
  /** Files in any form, with or without a name. */
  files: readonly (UploadFile | UploadData)[];
  /** Makes retries harmless. @defaultValue a new one */
  idempotencyKey?: string;
  signal?: AbortSignal;
  /** Reports the bytes sent of all files together. */
  onProgress?: (sentBytes: number) => void;
  /** Reports the bytes sent of each file. */
  onFileProgress?: (progress: FileProgress) => void;
}

/** The result for one file. */
export interface UploadResult {
  name: string;
  verdict: Verdict;
  asset: Asset | null;
}

/**
 * Uploads files, in order: those with bytes in one request, those at addresses one by one, because the server fetches them. A
 * refused file is a result and not an error.
 */
export async function uploadFiles(http: Http, request: UploadRequest): Promise<UploadResult[]> {
  request.signal?.throwIfAborted();
  const key = request.idempotencyKey ?? crypto.randomUUID();
  const results: UploadResult[] = [];
  const prepared = await prepareFiles(request.files);
  let sentBytes = 0;
  try {
    for (const [n, group] of groupByWay(prepared).entries()) {
      request.signal?.throwIfAborted();
      const idempotencyKey = n === 0 ? key : `${key}.${n}`;
      const [first] = group;
      if (first?.data.kind === 'address') {
        results.push(await uploadAddress(http, request, first, idempotencyKey));
        continue;
      }
      const files = group.flatMap(({ index, folder, data }) =>
        data.kind === 'blob' ? [{ index, folder, name: data.name, data: data.data }] : [],
      );
      results.push(...(await uploadBlobs(http, { ...request, files, idempotencyKey }, sentBytes)));
      sentBytes += files.reduce((sum, { data }) => sum + data.size, 0);
    }
  } finally {
    await Promise.all(prepared.map(({ data }) => (data.kind === 'blob' ? data.release() : undefined)));
  }
  return results;
}

interface PreparedFile {
  index: number;
  folder: string | undefined;
  data: PreparedData;
}

async function prepareFiles(files: UploadRequest['files']): Promise<PreparedFile[]> {
  const prepared: PreparedFile[] = [];
  try {
    for (const [index, file] of files.entries()) {
      const { name, data, folder }: UploadFile = isFileToUpload(file) ? file : { data: file };
      prepared.push({ index, folder, data: await prepareData(data, name) });
    }
    return prepared;
  } catch (error) {
    await Promise.all(prepared.map(({ data }) => (data.kind === 'blob' ? data.release() : undefined)));
    throw error;
  }
}

function isFileToUpload(file: UploadFile | UploadData): file is UploadFile {
  return typeof file === 'object' && 'data' in file && !(file instanceof Blob);
}

/** Neighbours with bytes are sent together; each address is on its own. */
function groupByWay(files: readonly PreparedFile[]): PreparedFile[][] {
  const groups: PreparedFile[][] = [];
  for (const file of files) {
    const last = groups.at(-1);
    if (file.data.kind === 'blob' && last?.[0]?.data.kind === 'blob') last.push(file);
    else groups.push([file]);
  }
  return groups;
}

async function uploadAddress(
  http: Http,
  { signal, intake: _, ...target }: UploadRequest,
  { data, folder }: PreparedFile,
  idempotencyKey: string,
): Promise<UploadResult> {
  if (data.kind !== 'address') throw new TypeError('Expected an address, got bytes');
  const { rename, title, alt, caption, credit, keywords } = target;
  try {
    const asset = await http.json<Asset & { verdict: Verdict }>('/assets', {
      method: 'POST',
      json: {
        ...{ source: data.source, folder: folder ?? target.folder, rename },
        ...{ title, alt, caption, credit, keywords },
        ...(data.name !== null && { name: data.name }),
      },
      ...{ idempotencyKey, hasTimeout: false },
      ...(signal && { signal }),
    });
    return { name: asset.name, verdict: asset.verdict, asset };
  } catch (error) {
    return refusalOf(error);
  }
}

/** @throws the error, when it is none */
function refusalOf(error: unknown): UploadResult {
  if (isUniferumApiError(error) && error.problem.verdict)
    return { name: error.problem.verdict.name, verdict: error.problem.verdict, asset: null };
  throw error;
}

/** Files of one request. */
interface BlobRequest extends Omit<UploadRequest, 'files'> {
  files: readonly { index: number; name: string; data: Blob; folder: string | undefined }[];
  idempotencyKey: string;
}

async function uploadBlobs(http: Http, request: BlobRequest, sentBefore: number): Promise<UploadResult[]> {
  const form = toForm(request);
  const headers = http.headers({ 'Idempotency-Key': request.idempotencyKey });
  const sizes = request.files.map(({ index, name, data }) => ({ index, name, bytes: data.size }));
  const progress = new ProgressReporter(sizes, request, sentBefore);
  try {
    const { status, text } = await sendForm(http, form, headers, { signal: request.signal, progress });
    if (status >= 400) throw await readProblem(status, text);
    return readResults(status, JSON.parse(text));
  } catch (error) {
    return [refusalOf(error)];
  }
}

function toForm(request: BlobRequest): FormData {
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
