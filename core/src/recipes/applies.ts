import type { Kind } from '../library/kinds.js';
import { isWithin } from '../library/paths.js';
import type { Recipe } from './recipe.js';

/** The types that the image engine decodes. HEIC needs a decoder that can't be shipped freely. */
export const DECODABLE_MIMES: readonly string[] = [
  'image/jpeg',
  'image/png',
  'image/webp',
  'image/avif',
  'image/gif',
  'image/tiff',
  'image/svg+xml',
];

/** Tells whether a recipe makes a rendition of an asset. */
export function recipeApplies(recipe: Recipe, asset: { kind: Kind; mime: string; folder: string }): boolean {
  if (!DECODABLE_MIMES.includes(asset.mime) || !recipe.kinds.includes(asset.kind)) return false;
  return recipe.folders.length === 0 || recipe.folders.some((folder) => isWithin(asset.folder, folder));
}

/** What a change of a recipe means for what was made by the old one. */
export function changesOutput(before: Recipe, after: Recipe): boolean {
  return JSON.stringify([before.steps, before.output]) !== JSON.stringify([after.steps, after.output]);
}

/** The media type that a recipe makes from a picture of type `mime`. `keep` falls back to what every browser shows. */
export function outputMime(recipe: Recipe, mime: string): string {
  const { format } = recipe.output;
  if (format !== 'keep') return `image/${format}`;
  if (mime === 'image/jpeg' || mime === 'image/png' || mime === 'image/webp' || mime === 'image/avif')
    return mime;
  return mime === 'image/tiff' ? 'image/jpeg' : 'image/png';
}
