import type { MetadataBlocks } from '@uniferum/core/inspection';
import {
  qualityOfLikeness,
  qualityWithin,
  type RecipeOutput,
  structuralSimilarity,
  toGrey,
} from '@uniferum/core/recipes';
import sharp, { type Sharp } from 'sharp';
import { type KeptProfile, openWithProfile, readPixels } from './kept-colours.js';
import { embed, reserveMetadata } from './metadata.js';
import { openPixels, type Pixels } from './pixels.js';

/** The timing of an animation's frames; null for a still picture. */
export interface Timing {
  /** Milliseconds, one value per frame. */
  delay: number[];
  /** 0 for endless. */
  loop: number;
}

/** One encoded file. */
export interface EncodedFile {
  data: Buffer;
  width: number;
  height: number;
  /** The quality used; null where the format has none. */
  quality: number | null;
  /** The structural similarity to the picture before encoding, where it was a target. */
  likeness: number | null;
}

/** Effort 4 of 9: beyond it an AVIF takes several times as long for a few percent. */
const AVIF_EFFORT = 4;

/**
 * Encodes frames of one size. With a target, the quality is searched: the highest within a number of bytes, or the
 * lowest that reaches a likeness.
 *
 * @throws Error when the target cannot be reached
 */
export async function encodeFrames(
  frames: readonly Pixels[],
  mime: string,
  output: RecipeOutput,
  options: { timing: Timing | null; metadata: MetadataBlocks | null; profile: KeptProfile | null },
): Promise<EncodedFile> {
  const [first] = frames;
  if (!first) throw new Error('Expected at least one frame, got none');
  const { width, height } = first;
  const encode = async (quality: number) => {
    const { maxBytes } = output;
    const { timing, metadata, profile } = options;
    const pipeline = profile === null ? stack(frames) : openWithProfile(first, profile);
    const { data } = await encodeWith(pipeline, mime, { quality, maxBytes, timing, metadata });
    return { bytes: data.length, result: data };
  };
  if (output.maxBytes !== undefined) {
    const searched = await qualityWithin(output.maxBytes, output.quality, encode);
    if (!searched.ok)
      throw new Error(
        `at ${width} × ${height} it can't be made smaller than ${searched.leastBytes} bytes, and the limit is ${output.maxBytes}. Raise the limit or reduce the size`,
      );
    return { data: searched.found.result, width, height, quality: searched.found.quality, likeness: null };
  }
  if (output.likeness !== undefined) {
    const original = toGrey(first.data, first);
    const found = await qualityOfLikeness(output.likeness, output.quality, async (quality) => {
      const { bytes, result } = await encode(quality);
      const decoded = await readPixels(sharp(result), options.profile);
      return { bytes, result, likeness: structuralSimilarity(original, toGrey(decoded.data, decoded)) };
    });
    return { data: found.result, width, height, quality: found.quality, likeness: found.likeness };
  }
  const { result } = await encode(output.quality);
  return {
    data: result,
    width,
    height,
    quality: mime === 'image/png' || mime === 'image/gif' ? null : output.quality,
    likeness: null,
  };
}

/**
 * Frames share a palette unless their colours differ clearly, and what hardly changes from one to the next is left out: the
 * defaults of the encoder take six times as long for files that are larger by a tenth.
 */
const GIF = { effort: 3, interPaletteMaxError: 16, interFrameMaxError: 4 };

interface Encoding {
  quality: number;
  maxBytes?: number | undefined;
  timing?: Timing | null;
  metadata: MetadataBlocks | null;
}

/** Encodes what a pipeline comes to, with metadata. */
export async function encodeWith(
  pipeline: Sharp,
  mime: string,
  { quality, metadata, ...more }: Encoding,
): Promise<{ data: Buffer; width: number; height: number }> {
  const described = metadata === null ? pipeline : reserveMetadata(pipeline, mime, metadata);
  const { data, info } = await withFormat(described, mime, quality, more).toBuffer({
    resolveWithObject: true,
  });
  return {
    data: metadata === null ? data : embed(data, mime, metadata),
    width: info.width,
    height: info.height,
  };
}

/** Sets the format of a pipeline. */
function withFormat(
  pipeline: Sharp,
  mime: string,
  quality: number,
  { timing = null, maxBytes }: Pick<Encoding, 'timing' | 'maxBytes'>,
): Sharp {
  const animation = timing ? { delay: timing.delay, loop: timing.loop } : {};
  switch (mime) {
    case 'image/webp':
      return pipeline.webp({ quality, ...animation });
    case 'image/avif':
      return pipeline.avif({ quality, effort: AVIF_EFFORT });
    case 'image/gif':
      return pipeline.gif({ ...GIF, ...animation });
    case 'image/png':
      // A byte limit can only be met with fewer colours.
      return maxBytes === undefined ? pipeline.png() : pipeline.png({ palette: true, quality });
    default:
      return pipeline.flatten({ background: '#ffffff' }).jpeg({ quality });
  }
}

/** Frames stacked vertically, the form in which animations are encoded. */
function stack(frames: readonly Pixels[]): Sharp {
  const [first] = frames;
  if (!first) throw new Error('Expected at least one frame, got none');
  if (frames.length === 1) return openPixels(first);
  const { width, height, channels } = first;
  return sharp(Buffer.concat(frames.map(({ data }) => data)), {
    raw: { width, height: height * frames.length, channels, pageHeight: height },
  });
}
