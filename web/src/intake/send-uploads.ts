import { isUniferumApiError } from '@uniferum/client';
import { chunkBatch, type Verdict } from '@uniferum/core/intake';
import { uniferum } from '../client.js';
import { groupByFolder } from './dropped.js';

/** The progress of one file of a batch. */
export interface Upload {
  key: string;
  file: File;
  folder: string;
  /** How it is handled on arrival. */
  unpack: boolean;
  state: 'checking' | 'waiting' | 'sending' | 'arrived' | 'refused' | 'broken';
  sentBytes: number;
  verdict: Verdict | null;
  assetId: string | null;
  /** The run that unpacks it. */
  run: string | null;
  /** Why it could not be sent. */
  error: string | null;
  /** The connection was lost: it is sent again once it is back. */
  isLost: boolean;
  /** The request in which it was sent last: sent again, it is that request, which the server does only once. */
  sentIn: SentRequest | null;
}

interface SentRequest {
  intake: string;
  idempotencyKey: string;
}

/** What sending tells the list of uploads. */
export interface UploadList {
  /** Aborts when the user stops the uploads. */
  signal: AbortSignal;
  patch: (key: string, change: Partial<Upload>) => void;
  /** Updates several files at once: a batch may have thousands. */
  patchAll: (changes: ReadonlyMap<string, Partial<Upload>>) => void;
  /** Brings the total progress up to date. */
  measure: () => void;
  breakOff: (broken: readonly { key: string }[], error: unknown, signal: AbortSignal) => void;
}

/** Files of at least this size are sent in pieces, and resume after a reload. */
const RESUMABLE_BYTES = 32 * 1024 * 1024;
/** The number of files the server checks per request. */
const FILES_PER_CHECK = 10_000;

/** Sends one batch: archives first, then what was sent before and got no answer, then the rest in one intake. */
export async function sendBatch(folder: string, uploads: readonly Upload[], list: UploadList): Promise<void> {
  const { signal, measure } = list;
  if (uploads.length === 0) return;
  try {
    const archives = uploads.filter(({ unpack }) => unpack);
    const plain = uploads.filter(({ unpack }) => !unpack);
    for (const upload of archives) await sendResumably(upload, null, list);
    for (const [sentIn, chunk] of groupByRequest(plain)) await sendChunk(chunk, sentIn, list);
    const fresh = plain.filter(({ sentIn }) => sentIn === null);
    if (fresh.length === 0 || signal.aborted) return;
    const intake = await uniferum.intakes.begin(folder, { signal });
    const accepted = await checkAll(intake.id, fresh, list);
    measure();
    const small = accepted.filter(({ file }) => file.size < RESUMABLE_BYTES);
    for (const chunk of chunkBatch(small.map((upload) => ({ ...upload, bytes: upload.file.size }))))
      await sendChunk(chunk, { intake: intake.id, idempotencyKey: crypto.randomUUID() }, list);
    for (const upload of accepted.filter(({ file }) => file.size >= RESUMABLE_BYTES))
      await sendResumably(upload, intake.id, list);
  } catch (error) {
    list.breakOff(uploads, error, signal);
  }
}

/**
 * Checks files by name and size against the rules of their folders before anything is sent. The server records
 * refused ones in the intake.
 *
 * @returns those to send, in the order in which they were dropped
 */
async function checkAll(
  intake: string,
  uploads: readonly Upload[],
  { signal, patchAll }: UploadList,
): Promise<Upload[]> {
  const accepted = new Set<Upload>();
  for (const [folder, here] of groupByFolder(uploads)) {
    for (let start = 0; start < here.length; start += FILES_PER_CHECK) {
      const some = here.slice(start, start + FILES_PER_CHECK);
      const files = some.map(({ file }) => ({ name: file.name, bytes: file.size, mime: file.type || null }));
      const { verdicts } = await uniferum.intakes.checkIn(intake, { folder, files }, { signal });
      signal.throwIfAborted();
      const changes = new Map<string, Partial<Upload>>();
      for (const [index, upload] of some.entries()) {
        const verdict = verdicts[index] ?? null;
        const isRefused = verdict?.outcome === 'refused';
        changes.set(upload.key, { state: isRefused ? 'refused' : 'waiting', verdict });
        if (!isRefused) accepted.add(upload);
      }
      patchAll(changes);
    }
  }
  return uploads.filter((upload) => accepted.has(upload));
}

async function sendChunk(chunk: readonly Upload[], sentIn: SentRequest, list: UploadList): Promise<void> {
  const { signal, patch, patchAll } = list;
  if (signal.aborted) return;
  patchAll(new Map(chunk.map(({ key }) => [key, { state: 'sending', sentIn } as const])));
  try {
    const results = await uniferum.assets.upload({
      folder: chunk[0]?.folder ?? '/',
      ...sentIn,
      files: chunk.map(({ file, folder }) => ({ name: file.name, data: file, folder })),
      onProgress: (sent) => spreadProgress(chunk, sent, list),
      signal,
    });
    chunk.forEach(({ key, file }, index) => {
      const result = results[index];
      if (result)
        patch(key, {
          state: result.asset ? 'arrived' : 'refused',
          sentBytes: file.size,
          sentIn: null,
          verdict: result.verdict,
          assetId: result.asset?.id ?? null,
        });
    });
  } catch (error) {
    list.breakOff(chunk, error, signal);
  }
  list.measure();
}

/** The URL of a started upload is stored, so that the same file resumes after a reload. */
async function sendResumably(upload: Upload, intake: string | null, list: UploadList): Promise<void> {
  const { signal, patch, measure } = list;
  const { key, file, folder, unpack } = upload;
  if (signal.aborted) return;
  const memory = `uniferum-upload:${folder}:${file.name}:${file.size}:${file.lastModified}`;
  const url = localStorage.getItem(memory);
  patch(key, { state: 'sending' });
  try {
    const { verdict, asset, run } = await uniferum.assets.uploadResumably({
      name: file.name,
      data: file,
      folder,
      unpack,
      ...(intake !== null && { intake }),
      ...(url !== null && { url }),
      onBegun: (begun) => localStorage.setItem(memory, begun),
      onProgress: (sentBytes) => {
        patch(key, { sentBytes });
        measure();
      },
      signal,
    });
    localStorage.removeItem(memory);
    patch(key, {
      state: verdict.outcome === 'refused' ? 'refused' : 'arrived',
      sentBytes: file.size,
      verdict,
      assetId: asset,
      run,
    });
  } catch (error) {
    // Starts over next time if the server no longer has it; after a broken connection it resumes.
    if (isUniferumApiError(error) && (error.status === 404 || error.status === 409))
      localStorage.removeItem(memory);
    list.breakOff([upload], error, signal);
  }
  measure();
}

/** Files are sent in order, so the total sent tells how far each one is. */
function spreadProgress(chunk: readonly Upload[], sent: number, { patch, measure }: UploadList): void {
  let before = 0;
  for (const { key, file } of chunk) {
    patch(key, { sentBytes: Math.min(file.size, Math.max(0, sent - before)) });
    before += file.size;
  }
  measure();
}

/** Files that were sent in the same request and got no answer. */
function groupByRequest(uploads: readonly Upload[]): [SentRequest, Upload[]][] {
  const groups = new Map<string, [SentRequest, Upload[]]>();
  for (const upload of uploads) {
    const { sentIn } = upload;
    if (!sentIn) continue;
    const group = groups.get(sentIn.idempotencyKey) ?? [sentIn, []];
    groups.set(sentIn.idempotencyKey, group);
    group[1].push(upload);
  }
  return [...groups.values()];
}
