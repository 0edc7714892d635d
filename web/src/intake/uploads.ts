import { UniferumConnectionError } from '@uniferum/client';
import { create } from 'zustand';
import { folderOf } from './dropped.js';
import { sendBatch, type Upload } from './send-uploads.js';

export type { Upload };

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
  /** Resends what the lost connection interrupted, now that it is back. */
  resume: () => void;
  /** Sends the refused files to another folder, keeping subfolders of a dropped folder. */
  sendElsewhere: (folder: string) => void;
  clear: () => void;
  /** Cancels everything and forgets the list, when the user signs out. */
  forget: () => void;
}

const IDLE: Progress = { isSending: false, sentBytes: 0, totalBytes: 0, startedAt: 0 };

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
        isLost: false,
        sentIn: null,
      }),
    );
    set({ uploads: [...get().uploads, ...uploads] });
    enqueue(() => send(folder, uploads));
  },
  stop: () => {
    stopper.abort(new DOMException(STOPPED, 'AbortError'));
    stopper = new AbortController();
    const isUnderway = ({ state }: Upload) =>
      state === 'waiting' || state === 'checking' || state === 'sending';
    breakOff(get().uploads.filter(isUnderway), new Error(STOPPED));
    measure();
  },
  retry: () => sendAgain(get().uploads.filter(({ state }) => state === 'broken')),
  resume: () => sendAgain(get().uploads.filter(({ state, isLost }) => state === 'broken' && isLost)),
  sendElsewhere: (folder) => {
    const refused = get().uploads.filter(({ state }) => state === 'refused');
    const again = { state: 'checking', sentBytes: 0, verdict: null, error: null, sentIn: null } as const;
    patchAll(new Map(refused.map(({ key, file }) => [key, { ...again, folder: folderOf(file, folder) }])));
    enqueue(() => send(folder, refused));
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

function sendAgain(broken: readonly Upload[]): void {
  const again = { state: 'waiting', sentBytes: 0, error: null, isLost: false } as const;
  patchAll(new Map(broken.map(({ key }) => [key, again])));
  const [first] = broken;
  if (first) enqueue(() => send(first.folder, broken));
}

/** Sends those of a batch that were not cancelled, or resent, while the batch was queued. */
function send(folder: string, batch: readonly Upload[]): Promise<void> {
  const keys = new Set(batch.map(({ key }) => key));
  const waiting = useUploads
    .getState()
    .uploads.filter(({ key, state }) => keys.has(key) && (state === 'checking' || state === 'waiting'));
  return sendBatch(folder, waiting, { patch, patchAll, measure, breakOff, signal: stopper.signal });
}

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

/** Cancelled files are marked already, and may have been restarted meanwhile. */
function breakOff(broken: readonly { key: string }[], error: unknown, signal?: AbortSignal): void {
  if (signal?.aborted) return;
  const keys = new Set(broken.map(({ key }) => key));
  const message = error instanceof Error ? error.message : String(error);
  const open = useUploads
    .getState()
    .uploads.filter(({ key, state }) => keys.has(key) && state !== 'arrived' && state !== 'refused');
  const isLost = error instanceof UniferumConnectionError;
  patchAll(new Map(open.map(({ key }) => [key, { state: 'broken', error: message, isLost } as const])));
}
