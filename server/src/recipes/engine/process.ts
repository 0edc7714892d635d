import sharp from 'sharp';
import { DecodedCache } from './decoded.js';
import type { RenderJob, RenderResult } from './job.js';
import { type OptimiseJob, type OptimiseResult, optimiseFile } from './optimise.js';
import { renderJob } from './render.js';

/** What the pool sends. */
export type ToProcess =
  | { kind: 'render'; id: number; job: RenderJob }
  | { kind: 'optimise'; id: number; job: OptimiseJob }
  | { kind: 'cancel'; id: number };

/** What a rendering process sends. */
export type FromProcess =
  | { kind: 'ready' }
  | { kind: 'done'; id: number; result: RenderResult | OptimiseResult }
  | { kind: 'failed'; id: number; message: string };

// Pictures are worked on side by side, one thread each: together that is faster than one after the other with several.
sharp.concurrency(1);
sharp.cache(false);

const decoded = new DecodedCache();
const running = new Map<number, AbortController>();
const answer = (message: FromProcess) => process.send?.(message);

process.on('message', (message: ToProcess) => {
  if (message.kind === 'cancel') running.get(message.id)?.abort();
  else void work(message);
});
// The pool is gone: nobody waits for anything any more.
process.on('disconnect', () => process.exit(0));
// Ctrl-C reaches the whole group; the pool ends its processes itself, in order.
process.on('SIGINT', () => {});
answer({ kind: 'ready' });

async function work(message: Exclude<ToProcess, { kind: 'cancel' }>): Promise<void> {
  const { id } = message;
  const abort = new AbortController();
  running.set(id, abort);
  try {
    const result =
      message.kind === 'optimise'
        ? await optimiseFile(message.job)
        : await renderJob(message.job, { signal: abort.signal, decoded });
    answer({ kind: 'done', id, result });
  } catch (error) {
    answer({ kind: 'failed', id, message: error instanceof Error ? error.message : String(error) });
  } finally {
    running.delete(id);
  }
}
