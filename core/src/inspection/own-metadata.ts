import type { CleanOptions } from './clean-options.js';
import { exifForPicture, type PictureFacts } from './exif-block.js';
import { type MetadataBlocks, NO_METADATA } from './metadata-blocks.js';
import { blankPictures, type StatedRights, writeExif, writeIim, writeXmp } from './rights-blocks.js';

/** What a cleaned file is given instead of the metadata that it had. */
export function ownMetadata({ keep, given, rights, orientation }: CleanOptions): MetadataBlocks {
  if (keep === 'given') return given ?? NO_METADATA;
  if (keep === 'all-but-pictures') return NO_METADATA;
  return keep === 'rights'
    ? metadataOfRights(rights, orientation)
    : { ...NO_METADATA, exif: writeExif({ orientation, rights: null }) };
}

/** Writes rights in all the blocks in which programs look for them. */
export function metadataOfRights(rights: StatedRights, orientation: number | null = null): MetadataBlocks {
  return { exif: writeExif({ orientation, rights }), xmp: writeXmp(rights), iim: writeIim(rights) };
}

/**
 * All metadata of a picture, for one that was made from it: without previews, and with what is said about orientation,
 * size and colours brought up to date.
 */
export function metadataForPicture({ exif, xmp, iim }: MetadataBlocks, facts: PictureFacts): MetadataBlocks {
  return {
    exif: exif && exifForPicture(exif, facts),
    xmp: xmp && xmpForPicture(xmp, facts),
    iim,
  };
}

/** Some programs pad packets by thousands of spaces, so that they can be edited in place. */
const PADDING = /\s{100,}/g;

function xmpForPicture(packet: Uint8Array, { widthPx, heightPx, isSrgb }: PictureFacts): Uint8Array {
  let text = new TextDecoder(encodingOf(packet)).decode(packet).replaceAll('\0', '');
  text = new TextDecoder().decode(blankPictures(new TextEncoder().encode(text)));
  // Source: ISO 16684-1, 8.5 and CIPA DC-010, with the prefixes that are in use everywhere.
  const facts = {
    'tiff:Orientation': 1,
    'tiff:ImageWidth': widthPx,
    'tiff:ImageLength': heightPx,
    'exif:PixelXDimension': widthPx,
    'exif:PixelYDimension': heightPx,
    'exif:ColorSpace': isSrgb ? 1 : 0xffff,
  };
  for (const [name, value] of Object.entries(facts))
    text = text
      .replace(new RegExp(`(\\s${name}\\s*=\\s*)(["'])[^"'<]*\\2`, 'g'), `$1$2${value}$2`)
      .replace(new RegExp(`(<${name}>)[^<]*(</${name}>)`, 'g'), `$1${value}$2`);
  return new TextEncoder().encode(text.replace(PADDING, '\n'));
}

/** A packet is UTF-8, or UTF-16 with a byte order mark. Source: ISO 16684-1, 7.3. */
function encodingOf([first, second]: Uint8Array): string {
  if (first === 0xfe && second === 0xff) return 'utf-16be';
  return first === 0xff && second === 0xfe ? 'utf-16le' : 'utf-8';
}
