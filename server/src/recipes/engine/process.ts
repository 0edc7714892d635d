import { randomUUID } from 'node:crypto';
import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { crc32 } from 'node:zlib';
import sharp from 'sharp';
import { serveProcess } from '../../shared/process-side.js';
import { sha256Of } from '../../shared/sha256.js';
import { DecodedCache } from './decoded.js';
import type { MadeFile, RenderResult, WrittenFile } from './job.js';
import { optimiseFile } from './optimise.js';
import type { RenderOutcome, RenderWork } from './pool.js';
import { renderJob } from './render.js';

// Pictures are processed concurrently with one thread each, which is faster overall than one after the other with
// several.
sharp.concurrency(1);
sharp.cache(false);

const decoded = new DecodedCache();

serveProcess<RenderWork, RenderOutcome>((work, { signal }) =>
  work.kind === 'optimise' ? optimiseFile(work.job) : render(work, signal),
);

async function render(
  { job, outDir }: Extract<RenderWork, { kind: 'render' }>,
  signal: AbortSignal,
): Promise<RenderResult | RenderResult<WrittenFile>> {
  const result = await renderJob(job, { signal, decoded });
  return outDir === null ? result : { ...result, made: writeAll(result.made, outDir) };
}

function writeAll(files: readonly MadeFile[], outDir: string): WrittenFile[] {
  const written: WrittenFile[] = [];
  try {
    for (const file of files) written.push(write(file, outDir));
    return written;
  } catch (error) {
    for (const { path } of written) rmSync(path, { force: true });
    throw error;
  }
}

/**
 * Writes a file in this process, where its bytes are: passing them to the pool's process would cost more than writing
 * them.
 */
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
    sha256: sha256Of(data),
    crc32: crc32(data).toString(16).padStart(8, '0'),
    bytes: data.length,
  };
}
