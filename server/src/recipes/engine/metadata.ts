import {
  applyPieces,
  BytesInMemory,
  cleanFile,
  EMPTY_XMP,
  type MetadataBlocks,
  metadataForPicture,
  metadataOfRights,
  NO_METADATA,
  NO_RIGHTS,
  type StatedRights,
} from '@uniferum/core/inspection';
import type { RecipeOutput, Size } from '@uniferum/core/recipes';
import type { Sharp } from 'sharp';
import { readHeader, readStatedRights } from '../../inspection/embedded.js';
import { findIim } from '../../inspection/iim.js';

/** What is embedded in a source, read once for all of its renditions. */
export interface SourceMetadata {
  rights: StatedRights;
  blocks: MetadataBlocks;
}

export const NOTHING_EMBEDDED: SourceMetadata = { rights: NO_RIGHTS, blocks: NO_METADATA };

/** Reads what is embedded in a file; nothing when it is no picture, or has no readable header. */
export async function readSourceMetadata(path: string, mime: string): Promise<SourceMetadata> {
  try {
    const { blocks } = await readHeader(path, mime);
    const { exif, xmp, iim } = blocks;
    const records = iim && findIim(Buffer.from(iim.buffer, iim.byteOffset, iim.byteLength));
    return {
      rights: readStatedRights(blocks),
      blocks: { exif: exif && withoutPrefix(exif), xmp, iim: records?.length ? records : null },
    };
  } catch {
    return NOTHING_EMBEDDED;
  }
}

/** Some formats write the name of a JPEG segment before the block. */
function withoutPrefix(exif: Uint8Array): Uint8Array {
  return Buffer.from(exif.subarray(0, 6)).toString('latin1') === 'Exif\0\0' ? exif.subarray(6) : exif;
}

/** What a rendition has embedded; null for nothing. */
export function metadataFor(
  { metadata }: Pick<RecipeOutput, 'metadata'>,
  { rights, blocks }: SourceMetadata,
  { width, height, isSrgb }: Size & { isSrgb: boolean },
): MetadataBlocks | null {
  if (metadata === 'none') return null;
  const own =
    metadata === 'rights'
      ? metadataOfRights(rights)
      : metadataForPicture(blocks, { widthPx: width, heightPx: height, isSrgb });
  return Object.values(own).some((block) => block !== null) ? own : null;
}

/** The encoder writes Exif of its own besides a text. */
const PLACEHOLDER = 'x';

/**
 * Has the encoder make room for metadata in formats that can't be given any afterwards: an AVIF needs an item of at least
 * the size, a WebP its extended form.
 */
export function reserveMetadata(pipeline: Sharp, mime: string, { exif, xmp }: MetadataBlocks): Sharp {
  let made = pipeline;
  const isFixed = mime === 'image/avif';
  if (!isFixed && mime !== 'image/webp') return made;
  if (exif)
    made = made.withExif({ IFD0: { ImageDescription: PLACEHOLDER.repeat(isFixed ? exif.length : 1) } });
  if (xmp) made = made.withXmp(isFixed ? EMPTY_XMP + ' '.repeat(xmp.length) : EMPTY_XMP);
  return made;
}

/** Embeds metadata in an encoded picture, in place of any that the encoder has written. */
export function embed(data: Buffer, mime: string, blocks: MetadataBlocks): Buffer {
  const source = new BytesInMemory(data);
  const pieces = cleanFile(source, mime, {
    ...{ keep: 'given', rights: NO_RIGHTS, orientation: null },
    given: blocks,
  });
  return Buffer.from(applyPieces(source, pieces));
}
