import { isUniferumApiError } from '@uniferum/client';
import { chunkBatch, type Verdict } from '@uniferum/core/intake';
import { create } from 'zustand';
import { uniferum } from '../client.js';
import { folderOf, groupByFolder } from './dropped.js';

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
}

interface Progress {
  isSending: boolean;
  sentBytes: number;
  totalBytes: number;
  startedAt: number;
}

interface UploadState {
  uploads: Upload[];
  progress: Progress;
  add: (folder: string, files: readonly File[], options: { unpack: boolean }) => void;
  /** Cancels uploads in progress; completed files stay. */
  stop: () => void;
  /** Resends interrupted uploads. */
  retry: () => void;
  /** Sends the refused files to another folder, keeping subfolders of a dropped folder. */
  sendElsewhere: (folder: string) => void;
  clear: () => void;
  /** Cancels everything and forgets the list, when the user signs out. */
  forget: () => void;
}

const IDLE: Progress = { isSending: false, sentBytes: 0, totalBytes: 0, startedAt: 0 };
/** Files of at least this size are sent in pieces, and resume after a reload. */
const RESUMABLE_BYTES = 32 * 1024 * 1024;
/** The number of files the server checks per request. */
const FILES_PER_CHECK = 10_000;

const STOPPED = 'Stopped. Send it again to continue.';

let stopper = new AbortController();

/** The batches being uploaded; they continue on whatever page is shown. */
export const useUploads = create<UploadState>((set, get) => ({
  uploads: [],
  progress: IDLE,
  add: (folder, files, { unpack }) => {
    const uploads = files.map(
      (file): Upload => ({
        key: crypto.randomUUID(),
        file,
        folder: folderOf(file, folder),
        unpack: unpack && /\.zip$/i.test(file.name),
        state: 'checking',
        sentBytes: 0,
        verdict: null,
        assetId: null,
        run: null,
        error: null,
      }),
    );
    set({ uploads: [...get().uploads, ...uploads] });
    enqueue(() => sendBatch(folder, uploads));
  },
  stop: () => {
    stopper.abort(new DOMException(STOPPED, 'AbortError'));
    stopper = new AbortController();
    const isUnderway = ({ state }: Upload) =>
      state === 'waiting' || state === 'checking' || state === 'sending';
    breakOff(get().uploads.filter(isUnderway), new Error(STOPPED));
    measure();
  },
  retry: () => {
    const broken = get().uploads.filter(({ state }) => state === 'broken');
    patchAll(
      new Map(broken.map(({ key }) => [key, { state: 'waiting', sentBytes: 0, error: null } as const])),
    );
    const [first] = broken;
    if (first) enqueue(() => sendBatch(first.folder, broken));
  },
  sendElsewhere: (folder) => {
    const refused = get().uploads.filter(({ state }) => state === 'refused');
    const again = { state: 'checking', sentBytes: 0, verdict: null, error: null } as const;
    patchAll(new Map(refused.map(({ key, file }) => [key, { ...again, folder: folderOf(file, folder) }])));
    enqueue(() => sendBatch(folder, refused));
  },
  forget: () => {
    get().stop();
    set({ uploads: [] });
  },
  clear: () =>
    set({
      uploads: get().uploads.filter(
        ({ state }) => state === 'checking' || state === 'waiting' || state === 'sending',
      ),
    }),
}));

/** Batches are sent in order, so that files are judged in the order in which they were dropped. */
let queue: Promise<void> = Promise.resolve();

function enqueue(work: () => Promise<void>): void {
  measure();
  queue = queue.then(work).then(measure, measure);
}

function patch(key: string, change: Partial<Upload>): void {
  patchAll(new Map([[key, change]]));
}

/** Updates several files at once: a batch may have thousands. */
function patchAll(changes: ReadonlyMap<string, Partial<Upload>>): void {
  useUploads.setState(({ uploads }) => ({
    uploads: uploads.map((upload) => {
      const change = changes.get(upload.key);
      return change ? { ...upload, ...change } : upload;
    }),
  }));
}

function measure(): void {
  const { uploads, progress } = useUploads.getState();
  const wanted = uploads.filter(({ state }) => state !== 'refused');
  const isSending = uploads.some(
    ({ state }) => state === 'waiting' || state === 'sending' || state === 'checking',
  );
  useUploads.setState({
    progress: {
      isSending,
      startedAt: isSending && progress.startedAt > 0 ? progress.startedAt : Date.now(),
      sentBytes: wanted.reduce((sum, { sentBytes }) => sum + sentBytes, 0),
      totalBytes: wanted.reduce((sum, { file }) => sum + file.size, 0),
    },
  });
}

async function sendBatch(folder: string, added: readonly Upload[]): Promise<void> {
  const { signal } = stopper;
  // Some may have been cancelled or resent while the batch was queued.
  const keys = new Set(added.map(({ key }) => key));
  const uploads = useUploads
    .getState()
    .uploads.filter(({ key, state }) => keys.has(key) && (state === 'checking' || state === 'waiting'));
  if (uploads.length === 0) return;
  try {
    const archives = uploads.filter(({ unpack }) => unpack);
    const plain = uploads.filter(({ unpack }) => !unpack);
    for (const upload of archives) await sendResumably(upload, null, signal);
    if (plain.length === 0 || signal.aborted) return;
    const intake = await uniferum.intakes.begin(folder, { signal });
    const accepted = await checkAll(intake.id, plain, signal);
    measure();
    const small = accepted.filter(({ file }) => file.size < RESUMABLE_BYTES);
    for (const chunk of chunkBatch(small.map((upload) => ({ ...upload, bytes: upload.file.size }))))
      await sendChunk(intake.id, chunk, signal);
    for (const upload of accepted.filter(({ file }) => file.size >= RESUMABLE_BYTES))
      await sendResumably(upload, intake.id, signal);
  } catch (error) {
    breakOff(uploads, error, signal);
  }
}

/**
 * Checks files by name and size against the rules of their folders before anything is sent. The server records
 * refused ones in the intake.
 *
 * @returns those to send, in the order in which they were dropped
 */
async function checkAll(intake: string, uploads: readonly Upload[], signal: AbortSignal): Promise<Upload[]> {
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

async function sendChunk(
  intake: string,
  chunk: readonly (Upload & { bytes: number })[],
  signal: AbortSignal,
): Promise<void> {
  if (signal.aborted) return;
  patchAll(new Map(chunk.map(({ key }) => [key, { state: 'sending' } as const])));
  try {
    const results = await uniferum.assets.upload({
      folder: chunk[0]?.folder ?? '/',
      intake,
      files: chunk.map(({ file, folder }) => ({ name: file.name, data: file, folder })),
      onProgress: (sent) => spreadProgress(chunk, sent),
      signal,
    });
    chunk.forEach(({ key, bytes }, index) => {
      const result = results[index];
      if (result)
        patch(key, {
          state: result.asset ? 'arrived' : 'refused',
          sentBytes: bytes,
          verdict: result.verdict,
          assetId: result.asset?.id ?? null,
        });
    });
  } catch (error) {
    breakOff(chunk, error, signal);
  }
  measure();
}

/** The URL of a started upload is stored, so that the same file resumes after a reload. */
async function sendResumably(upload: Upload, intake: string | null, signal: AbortSignal): Promise<void> {
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
    breakOff([upload], error, signal);
  }
  measure();
}

/** Files are sent in order, so the total sent tells how far each one is. */
function spreadProgress(chunk: readonly { key: string; bytes: number }[], sent: number): void {
  let before = 0;
  for (const { key, bytes } of chunk) {
    patch(key, { sentBytes: Math.min(bytes, Math.max(0, sent - before)) });
    before += bytes;
  }
  measure();
}

/** Cancelled files are marked already, and may have been restarted meanwhile. */
function breakOff(broken: readonly { key: string }[], error: unknown, signal?: AbortSignal): void {
  if (signal?.aborted) return;
  const keys = new Set(broken.map(({ key }) => key));
  const message = error instanceof Error ? error.message : String(error);
  const open = useUploads
    .getState()
    .uploads.filter(({ key, state }) => keys.has(key) && state !== 'arrived' && state !== 'refused');
  patchAll(new Map(open.map(({ key }) => [key, { state: 'broken', error: message } as const])));
}
