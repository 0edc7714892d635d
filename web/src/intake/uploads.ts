import { chunkBatch, type Verdict } from '@uniferum/core';
import { create } from 'zustand';
import { uniferum } from '../client.js';

/** How far one file of a batch is. */
export interface Upload {
  key: string;
  file: File;
  folder: string;
  state: 'checking' | 'waiting' | 'sending' | 'arrived' | 'refused' | 'broken';
  sentBytes: number;
  verdict: Verdict | null;
  assetId: string | null;
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
  add: (folder: string, files: readonly File[]) => void;
  /** Sends again what broke off. */
  retry: () => void;
  clear: () => void;
}

const IDLE: Progress = { isSending: false, sentBytes: 0, totalBytes: 0, startedAt: 0 };

/** The batches that are being brought in; they go on whatever station is shown. */
export const useUploads = create<UploadState>((set, get) => ({
  uploads: [],
  progress: IDLE,
  add: (folder, files) => {
    const uploads = files.map(
      (file): Upload => ({
        key: crypto.randomUUID(),
        file,
        folder,
        state: 'checking',
        sentBytes: 0,
        verdict: null,
        assetId: null,
        error: null,
      }),
    );
    set({ uploads: [...get().uploads, ...uploads] });
    enqueue(() => sendBatch(folder, uploads));
  },
  retry: () => {
    const broken = get().uploads.filter(({ state }) => state === 'broken');
    for (const folder of new Set(broken.map((upload) => upload.folder))) {
      const again = broken.filter((upload) => upload.folder === folder);
      for (const { key } of again) patch(key, { state: 'waiting', sentBytes: 0, error: null });
      enqueue(() => sendBatch(folder, again));
    }
  },
  clear: () =>
    set({
      uploads: get().uploads.filter(
        ({ state }) => state === 'checking' || state === 'waiting' || state === 'sending',
      ),
    }),
}));

/** Batches go one after the other, so that the order in which files were dropped is the order in which they are judged. */
let queue: Promise<void> = Promise.resolve();

function enqueue(work: () => Promise<void>): void {
  queue = queue.then(work).finally(() => measure());
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
  try {
    const { verdicts } = await uniferum.intakes.check({
      folder,
      files: uploads.map(({ file }) => ({ name: file.name, bytes: file.size, mime: file.type || null })),
    });
    const accepted: Upload[] = [];
    uploads.forEach((upload, index) => {
      const verdict = verdicts[index] ?? null;
      const isRefused = verdict?.outcome === 'refused';
      patch(upload.key, { state: isRefused ? 'refused' : 'waiting', verdict });
      if (!isRefused) accepted.push(upload);
    });
    measure();
    if (accepted.length === 0) return;
    const intake = await uniferum.intakes.begin(folder);
    for (const chunk of chunkBatch(accepted.map((upload) => ({ ...upload, bytes: upload.file.size }))))
      await sendChunk(folder, intake.id, chunk);
  } catch (error) {
    for (const { key } of uploads) breakOff(key, error);
  }
}

async function sendChunk(
  folder: string,
  intake: string,
  chunk: readonly (Upload & { bytes: number })[],
): Promise<void> {
  for (const { key } of chunk) patch(key, { state: 'sending' });
  try {
    const results = await uniferum.assets.upload({
      folder,
      intake,
      files: chunk.map(({ file }) => ({ name: file.name, data: file })),
      onProgress: (sent) => spreadProgress(chunk, sent),
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
