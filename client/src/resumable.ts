import type { Verdict } from '@uniferum/core/intake';
import { readProblem, UniferumConnectionError } from './errors.js';
import { type Http, pause } from './http.js';
import { targetFields, type UploadTarget } from './upload.js';

export interface ResumableUpload extends UploadTarget {
  name: string;
  data: Blob;
  /** Unpacks a zip archive on arrival. */
  unpack?: boolean;
  /** Unpacks it into a folder named like the archive. */
  ownFolder?: boolean;
  /** The URL of an upload started earlier; it resumes where it stopped. */
  url?: string;
  /** The size of a piece, in bytes. @defaultValue 16 MB */
  chunkBytes?: number;
  /** The maximum number of retries per piece after a lost connection. @defaultValue 5 */
  retries?: number;
  /** Receives the URL when the upload starts: store it to resume after a reload. */
  onBegun?: (url: string) => void;
  onProgress?: (sentBytes: number) => void;
  signal?: AbortSignal;
}

/** The result of a resumable upload. */
export interface ResumableResult {
  verdict: Verdict;
  /** The id of the asset; null when it was refused, or is an archive being unpacked. */
  asset: string | null;
  intake: string | null;
  run: string | null;
}

const TUS = { 'Tus-Resumable': '1.0.0' };
const CHUNK_BYTES = 16 * 1024 * 1024;

/** Uploads a file in pieces with tus 1.0.0: a lost connection costs one piece, a reload nothing. */
export async function uploadResumably(http: Http, upload: ResumableUpload): Promise<ResumableResult> {
  const { data, chunkBytes = CHUNK_BYTES, retries = 5, signal, onProgress } = upload;
  const url = upload.url ?? (await begin(http, upload));
  upload.onBegun?.(url);
  let offset = upload.url === undefined && data.size > 0 ? 0 : await readOffset(http, url, signal);
  for (let failures = 0; offset < data.size; ) {
    signal?.throwIfAborted();
    try {
      offset = await sendPiece(http, url, offset, data.slice(offset, offset + chunkBytes), signal);
      failures = 0;
      onProgress?.(offset);
    } catch (error) {
      if (!(error instanceof UniferumConnectionError) || failures >= retries) throw error;
      failures += 1;
      await pause(300 * 2 ** failures, signal);
      offset = await readOffset(http, url, signal);
    }
  }
  return http.json<ResumableResult>(`/uploads/${url.slice(url.lastIndexOf('/') + 1)}/result`, {
    ...(signal && { signal }),
  });
}

async function begin(http: Http, upload: ResumableUpload): Promise<string> {
  const metadata = [
    ['filename', upload.name],
    ...targetFields(upload),
    ['unpack', upload.unpack ? 'true' : ''],
    ['ownFolder', upload.ownFolder ? 'true' : ''],
  ];
  const response = await http.send('/uploads', {
    method: 'POST',
    headers: {
      ...TUS,
      'Upload-Length': String(upload.data.size),
      'Upload-Metadata': metadata
        .filter(([, value]) => value !== '')
        .map(([key, value]) => `${key} ${toBase64(String(value))}`)
        .join(','),
    },
    ...(upload.signal && { signal: upload.signal }),
  });
  const location = response.headers.get('location');
  if (location === null)
    throw new UniferumConnectionError(
      'unreachable',
      'The server started an upload without returning its location.',
    );
  return location;
}

async function readOffset(http: Http, url: string, signal: AbortSignal | undefined): Promise<number> {
  const response = await http.sendTo(url, { method: 'HEAD', headers: TUS, ...(signal && { signal }) });
  // The upload was completed earlier: its pieces are gone, its result is stored.
  if (response.status === 404 || response.status === 410) return Number.POSITIVE_INFINITY;
  if (!response.ok) throw await readProblem(response.status, await response.text());
  return Number(response.headers.get('upload-offset') ?? 0);
}

async function sendPiece(
  http: Http,
  url: string,
  offset: number,
  piece: Blob,
  signal: AbortSignal | undefined,
): Promise<number> {
  const response = await http.sendTo(url, {
    method: 'PATCH',
    headers: { ...TUS, 'Upload-Offset': String(offset), 'Content-Type': 'application/offset+octet-stream' },
    body: piece,
    ...(signal && { signal }),
  });
  if (response.status === 409 || response.status === 423 || response.status >= 500)
    throw new UniferumConnectionError(
      'unreachable',
      `A chunk of the upload was rejected (status ${response.status}).`,
    );
  if (!response.ok) throw await readProblem(response.status, await response.text());
  return Number(response.headers.get('upload-offset') ?? offset + piece.size);
}

function toBase64(text: string): string {
  let binary = '';
  for (const byte of new TextEncoder().encode(text)) binary += String.fromCharCode(byte);
  return btoa(binary);
}
