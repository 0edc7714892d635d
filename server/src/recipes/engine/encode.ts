import { applyPieces, BytesInMemory, cleanFile, NO_RIGHTS } from '@uniferum/core/inspection';
import {
  qualityOfLikeness,
  qualityWithin,
  type RecipeOutput,
  structuralSimilarity,
  toGrey,
} from '@uniferum/core/recipes';
import sharp, { type Sharp } from 'sharp';
import { openPixels, type Pixels, toPixels } from './pixels.js';

/** Artist and copyright, for outputs that include rights. */
export interface Rights {
  artist: string | null;
  copyright: string | null;
}

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

/** The source of a file's metadata. */
export interface MetadataSource {
  path: string;
  rights: Rights;
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
  options: { timing: Timing | null; metadata: MetadataSource | null },
): Promise<EncodedFile> {
  const [first] = frames;
  if (!first) throw new Error('Expected at least one frame, got none');
  const { width, height } = first;
  const encode = async (quality: number) => {
    const pipeline = await withMetadata(stack(frames), first, output, options.metadata);
    const encoded = await withFormat(pipeline, mime, quality, {
      ...output,
      timing: options.timing,
    }).toBuffer();
    const data = output.metadata === 'all' ? withoutPreviews(encoded, mime) : encoded;
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
      const decoded = await toPixels(sharp(result));
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

/** Sets the format of a pipeline. */
export function withFormat(
  pipeline: Sharp,
  mime: string,
  quality: number,
  { timing = null, maxBytes }: { timing?: Timing | null; maxBytes?: number },
): Sharp {
  const animation = timing ? { delay: timing.delay, loop: timing.loop } : {};
  switch (mime) {
    case 'image/webp':
      return pipeline.webp({ quality, ...animation });
    case 'image/avif':
      return pipeline.avif({ quality, effort: AVIF_EFFORT });
    case 'image/gif':
      return pipeline.gif(animation);
    case 'image/png':
      // A byte limit can only be met with fewer colours.
      return maxBytes === undefined ? pipeline.png() : pipeline.png({ palette: true, quality });
    default:
      return pipeline.flatten({ background: '#ffffff' }).jpeg({ quality });
  }
}

/** Removes previews from the metadata copied from a source: they show it before it was cropped or pixelated. */
export function withoutPreviews(data: Buffer, mime: string): Buffer {
  const source = new BytesInMemory(data);
  const pieces = cleanFile(source, mime, { keep: 'all-but-pictures', rights: NO_RIGHTS, orientation: null });
  return Buffer.from(applyPieces(source, pieces));
}

/** Writes artist and copyright into a file. */
export function withRights(pipeline: Sharp, { artist, copyright }: Rights): Sharp {
  if (artist === null && copyright === null) return pipeline;
  return pipeline.withExif({
    IFD0: { ...(artist !== null && { Artist: artist }), ...(copyright !== null && { Copyright: copyright }) },
  });
}

async function withMetadata(
  pipeline: Sharp,
  first: Pixels,
  output: RecipeOutput,
  metadata: MetadataSource | null,
): Promise<Sharp> {
  if (metadata === null || output.metadata === 'none') return pipeline;
  if (output.metadata === 'rights') return withRights(pipeline, metadata.rights);
  // Embedded metadata can only be copied with its own file: that file is opened, and its pixels are replaced by ours.
  const input = await openPixels(first).ensureAlpha().raw().toBuffer();
  const { width, height } = first;
  return sharp(metadata.path, { failOn: 'none' })
    .autoOrient()
    .resize(width, height, { fit: 'fill' })
    .ensureAlpha()
    .composite([{ input, raw: { width, height, channels: 4 }, blend: 'source' }])
    .keepMetadata();
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
