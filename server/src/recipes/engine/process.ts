import { createHash, randomUUID } from 'node:crypto';
import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { crc32 } from 'node:zlib';
import sharp from 'sharp';
import { DecodedCache } from './decoded.js';
import type { MadeFile, RenderJob, RenderResult, WrittenFile } from './job.js';
import { type OptimiseJob, type OptimiseResult, optimiseFile } from './optimise.js';
import { renderJob } from './render.js';

/** What the pool sends. */
export type ToProcess =
  | { kind: 'render'; id: number; job: RenderJob; outDir: string | null }
  | { kind: 'optimise'; id: number; job: OptimiseJob }
  | { kind: 'cancel'; id: number };

/** What a rendering process sends. */
export type FromProcess =
  | { kind: 'ready' }
  | { kind: 'done'; id: number; result: RenderResult | RenderResult<WrittenFile> | OptimiseResult }
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
// What ends a service reaches the whole group; the pool ends its processes itself, in order. A picture that is being worked on
// then must not seem to have ended its process.
process.on('SIGINT', () => {});
process.on('SIGTERM', () => {});
answer({ kind: 'ready' });

async function work(message: Exclude<ToProcess, { kind: 'cancel' }>): Promise<void> {
  const { id } = message;
  const abort = new AbortController();
  running.set(id, abort);
  try {
    const result =
      message.kind === 'optimise' ? await optimiseFile(message.job) : await render(message, abort.signal);
    answer({ kind: 'done', id, result });
  } catch (error) {
    answer({ kind: 'failed', id, message: error instanceof Error ? error.message : String(error) });
  } finally {
    running.delete(id);
  }
}

async function render(
  { job, outDir }: Extract<ToProcess, { kind: 'render' }>,
  signal: AbortSignal,
): Promise<RenderResult | RenderResult<WrittenFile>> {
  const result = await renderJob(job, { signal, decoded });
  return outDir === null ? result : { ...result, made: result.made.map((file) => write(file, outDir)) };
}

/** Writes a file here, where its bytes are: handing them to the pool's process would cost more than writing them. */
function write({ data, ...file }: MadeFile, outDir: string): WrittenFile {
  const path = join(outDir, randomUUID());
  try {
    writeFileSync(path, data, { flag: 'wx' });
  } catch (error) {
    rmSync(path, { force: true });
    throw error;
  }
  return {
    ...file,
    path,
    sha256: createHash('sha256').update(data).digest('hex'),
    crc32: crc32(data).toString(16).padStart(8, '0'),
    bytes: data.length,
  };
}
