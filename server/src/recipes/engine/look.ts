import { HASH_INPUT_SIDE, perceptualHash } from '@uniferum/core/library';
import type { Sharp } from 'sharp';

const PLACEHOLDER_PX = 16;

/** The perceptual hash, from pixels shared with the renditions. */
export async function makeHash(picture: Sharp): Promise<string> {
  const grey = await picture
    .resize(HASH_INPUT_SIDE, HASH_INPUT_SIDE, { fit: 'fill' })
    .flatten({ background: '#ffffff' })
    .greyscale()
    .raw()
    .toBuffer();
  return perceptualHash(grey);
}

/** A picture of at most 16 × 16 pixels as a data URI, shown enlarged and blurred while a rendition loads. */
export async function makePlaceholder(picture: Sharp): Promise<string> {
  const data = await picture
    .resize(PLACEHOLDER_PX, PLACEHOLDER_PX, { fit: 'inside', withoutEnlargement: true })
    .webp({ quality: 30, alphaQuality: 30 })
    .toBuffer();
  return `data:image/webp;base64,${data.toString('base64')}`;
}
