import { isUniferumApiError } from '@uniferum/client';
import { chunkBatch, joinPath, parseFolderPath, type Verdict } from '@uniferum/core';
import { create } from 'zustand';
import { uniferum } from '../client.js';

/** How far one file of a batch is. */
export interface Upload {
  key: string;
  file: File;
  folder: string;
  /** What is done with it on arrival. */
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
  /** Breaks off what is on its way; what has arrived stays. */
  stop: () => void;
  /** Sends again what broke off. */
  retry: () => void;
  clear: () => void;
}

const IDLE: Progress = { isSending: false, sentBytes: 0, totalBytes: 0, startedAt: 0 };
/** From this size on a file goes in pieces, and goes on where it was after a reload. */
const RESUMABLE_BYTES = 32 * 1024 * 1024;

let stopper = new AbortController();

/** The batches that are being brought in; they go on whatever station is shown. */
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
    stopper.abort(new DOMException('Stopped; it goes on when you send it again.', 'AbortError'));
    stopper = new AbortController();
    for (const { key, state } of get().uploads)
      if (state === 'waiting' || state === 'checking' || state === 'sending')
        breakOff(key, new Error('Stopped; it goes on when you send it again.'));
  },
  retry: () => {
    const broken = get().uploads.filter(({ state }) => state === 'broken');
    for (const { key } of broken) patch(key, { state: 'waiting', sentBytes: 0, error: null });
    const [first] = broken;
    if (first) enqueue(() => sendBatch(first.folder, broken));
  },
  clear: () =>
    set({
      uploads: get().uploads.filter(
        ({ state }) => state === 'checking' || state === 'waiting' || state === 'sending',
      ),
    }),
}));

/** Folders that were dropped become folders in the library. Browsers give the path in one of two ways. */
function folderOf(file: File & { path?: string }, folder: string): string {
  const path = (file.webkitRelativePath || file.path || '').replace(/^\.?\//, '');
  const parts = path.split('/').slice(0, -1);
  const target = parseFolderPath(parts.reduce(joinPath, folder));
  return target.ok ? target.path : folder;
}

/** Batches go one after the other, so that the order in which files were dropped is the order in which they are judged. */
let queue: Promise<void> = Promise.resolve();

function enqueue(work: () => Promise<void>): void {
  measure();
  queue = queue.then(work).then(measure, measure);
}

function patch(key: string, change: Partial<Upload>): void {
  useUploads.setState(({ uploads }) => ({
    uploads: uploads.map((upload) => (upload.key === key ? { ...upload, ...change } : upload)),
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

async function sendBatch(folder: string, uploads: readonly Upload[]): Promise<void> {
  const { signal } = stopper;
  try {
    const accepted = await checkAll(uploads);
    measure();
    if (accepted.length === 0) return;
    const plain = accepted.filter(({ unpack }) => !unpack);
    for (const upload of accepted.filter(({ unpack }) => unpack)) await sendResumably(upload, null, signal);
    if (plain.length === 0) return;
    const intake = await uniferum.intakes.begin(folder);
    const small = plain.filter(({ file }) => file.size < RESUMABLE_BYTES);
    for (const chunk of chunkBatch(small.map((upload) => ({ ...upload, bytes: upload.file.size }))))
      await sendChunk(intake.id, chunk, signal);
    for (const upload of plain.filter(({ file }) => file.size >= RESUMABLE_BYTES))
      await sendResumably(upload, intake.id, signal);
  } catch (error) {
    for (const { key } of uploads) breakOff(key, error);
  }
}

/** Judges files by name and size, each by the rules of its folder, before anything is sent. @returns those to be sent */
async function checkAll(uploads: readonly Upload[]): Promise<Upload[]> {
  const accepted: Upload[] = [];
  for (const folder of new Set(uploads.map((upload) => upload.folder))) {
    const here = uploads.filter((upload) => upload.folder === folder && !upload.unpack);
    if (here.length === 0) continue;
    const { verdicts } = await uniferum.intakes.check({
      folder,
      files: here.map(({ file }) => ({ name: file.name, bytes: file.size, mime: file.type || null })),
    });
    for (const [index, upload] of here.entries()) {
      const verdict = verdicts[index] ?? null;
      const isRefused = verdict?.outcome === 'refused';
      patch(upload.key, { state: isRefused ? 'refused' : 'waiting', verdict });
      if (!isRefused) accepted.push(upload);
    }
  }
  // In the order in which they were dropped.
  return uploads.filter((upload) => upload.unpack || accepted.includes(upload));
}

async function sendChunk(
  intake: string,
  chunk: readonly (Upload & { bytes: number })[],
  signal: AbortSignal,
): Promise<void> {
  if (signal.aborted) return;
  for (const { key } of chunk) patch(key, { state: 'sending' });
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
    for (const { key } of chunk) breakOff(key, error);
  }
  measure();
}

/** The address of an upload that was begun is kept, so that the same file goes on after a reload. */
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
    // Begins afresh the next time when the server no longer has it; a broken connection goes on where it was.
    if (isUniferumApiError(error) && (error.status === 404 || error.status === 409))
      localStorage.removeItem(memory);
    breakOff(key, error);
  }
  measure();
}

/** Files leave in their order, so what was sent in all tells how far each one is. */
function spreadProgress(chunk: readonly { key: string; bytes: number }[], sent: number): void {
  let before = 0;
  for (const { key, bytes } of chunk) {
    patch(key, { sentBytes: Math.min(bytes, Math.max(0, sent - before)) });
    before += bytes;
  }
  measure();
}

function breakOff(key: string, error: unknown): void {
  const current = useUploads.getState().uploads.find((upload) => upload.key === key);
  if (!current || current.state === 'arrived' || current.state === 'refused') return;
  patch(key, { state: 'broken', error: error instanceof Error ? error.message : String(error) });
}
