import { createHash, randomUUID } from 'node:crypto';
import { readFile, rm, stat } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { qualityOfLikeness, structuralSimilarity, toGrey } from '@uniferum/core/recipes';
import sharp from 'sharp';
import { runTool } from '../../inspection/tool.js';
import { toPixels } from './pixels.js';

/** The targets of optimising. */
export interface OptimiseJob {
  path: string;
  mime: string;
  /** Lossless: no pixel changes. Likeness: the structural similarity stays at least `likeness`. */
  mode: 'lossless' | 'likeness';
  likeness: number;
  maxPixels: number;
}

/** A smaller file, or why there is none. */
export type OptimiseResult =
  | { ok: true; data: Uint8Array; bytesBefore: number; likeness: number | null }
  | { ok: false; bytesBefore: number; reason: string };

/** Smaller savings are not worth another version. */
const LEAST_SAVING = 0.01;

/** The types that can be optimised here; the others are compact already. */
export const OPTIMISABLE_MIMES: readonly string[] = ['image/jpeg', 'image/png', 'image/webp'];

/**
 * Makes a picture's file smaller and keeps all of its content. A lossless result is decoded and compared with the
 * original, pixel by pixel, before it is returned.
 */
export async function optimiseFile(job: OptimiseJob): Promise<OptimiseResult> {
  const bytesBefore = (await stat(job.path)).size;
  const isNone = (reason: string): OptimiseResult => ({ ok: false, bytesBefore, reason });
  const candidates = job.mode === 'lossless' ? await losslessly(job) : await byLikeness(job);
  if (candidates === null) return isNone(`files of type ${job.mime} are already compact`);
  candidates.sort((a, b) => a.data.length - b.data.length);
  const [best] = candidates;
  if (!best || best.data.length > bytesBefore * (1 - LEAST_SAVING)) return isNone("it can't be made smaller");
  if (job.mode === 'lossless' && (await digestOfPixels(best.data)) !== (await digestOfPixels(job.path)))
    return isNone('the smaller file would have different pixels');
  return { ok: true, bytesBefore, ...best };
}

interface Candidate {
  data: Buffer;
  likeness: number | null;
}

async function losslessly({ path, mime, maxPixels }: OptimiseJob): Promise<Candidate[] | null> {
  if (mime === 'image/jpeg') return Promise.all([transcode(path, []), transcode(path, ['-progressive'])]);
  if (mime === 'image/png')
    return Promise.all(
      [true, false].map(async (adaptiveFiltering) => ({
        data: await sharp(path, { limitInputPixels: maxPixels, failOn: 'error' })
          .keepMetadata()
          .png({ compressionLevel: 9, effort: 10, adaptiveFiltering })
          .toBuffer(),
        likeness: null,
      })),
    );
  return null;
}

/**
 * Re-encodes the same coefficients: the pixels stay bit-identical. Source: ITU-T T.81, Annex K.2 (optimised Huffman
 * tables).
 */
async function transcode(path: string, options: string[]): Promise<Candidate> {
  const out = join(tmpdir(), `uniferum-optimised-${randomUUID()}.jpg`);
  try {
    await runTool(
      'jpegtran',
      ['-copy', 'all', '-optimize', ...options, '-outfile', out, path],
      'libjpeg-turbo-progs',
    );
    return { data: await readFile(out), likeness: null };
  } finally {
    await rm(out, { force: true });
  }
}

async function byLikeness({ path, mime, likeness, maxPixels }: OptimiseJob): Promise<Candidate[] | null> {
  if (mime === 'image/png') return losslessly({ path, mime, mode: 'lossless', likeness, maxPixels });
  if (mime !== 'image/jpeg' && mime !== 'image/webp') return null;
  const open = () => sharp(path, { limitInputPixels: maxPixels, failOn: 'error' });
  const original = await toPixels(open());
  const grey = toGrey(original.data, original);
  const found = await qualityOfLikeness(likeness, 95, async (quality) => {
    const pipeline = open().keepMetadata();
    const result = await (mime === 'image/jpeg'
      ? pipeline.jpeg({ quality, mozjpeg: true })
      : pipeline.webp({ quality, effort: 6 })
    ).toBuffer();
    const decoded = await toPixels(sharp(result));
    return {
      bytes: result.length,
      result,
      likeness: structuralSimilarity(grey, toGrey(decoded.data, decoded)),
    };
  });
  return found.likeness >= likeness ? [{ data: found.result, likeness: found.likeness }] : [];
}

async function digestOfPixels(input: string | Buffer): Promise<string> {
  const { depth = 'uchar' } = await sharp(input).metadata();
  const { data, info } = await sharp(input)
    .raw({ depth: depth === 'ushort' ? 'ushort' : 'uchar' })
    .toBuffer({ resolveWithObject: true });
  return createHash('sha256')
    .update(`${info.width} ${info.height} ${info.channels} `)
    .update(data)
    .digest('hex');
}
