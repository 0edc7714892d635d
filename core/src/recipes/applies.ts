import type { Kind } from '../library/kinds.js';
import { isWithin } from '../library/paths.js';
import { contentText } from './digest.js';
import type { Recipe, RecipeContent } from './recipe.js';

/** The types that tools of the host turn into pictures that the image engine decodes. */
export const CONVERTED_MIMES: readonly string[] = [
  'image/heic',
  'image/jxl',
  'image/bmp',
  'image/x-psd',
  'image/x-dcraw',
];

/** The types of pictures that renditions are made from. */
export const DECODABLE_MIMES: readonly string[] = [
  'image/jpeg',
  'image/png',
  'image/webp',
  'image/avif',
  'image/gif',
  'image/tiff',
  'image/svg+xml',
  ...CONVERTED_MIMES,
];

/** Documents whose pages can be rendered. */
export const DRAWABLE_DOCUMENTS: readonly string[] = ['application/pdf'];

/** Tells whether a file can be rendered: decoded as a picture, a page, a frame of a video, or the wave form of a sound. */
export function canBeRendered({ kind, mime }: { kind: Kind; mime: string }): boolean {
  return (
    DECODABLE_MIMES.includes(mime) ||
    DRAWABLE_DOCUMENTS.includes(mime) ||
    kind === 'video' ||
    kind === 'audio'
  );
}

/** Tells whether a recipe makes a rendition of an asset. */
export function recipeApplies(
  recipe: Pick<Recipe, 'kinds' | 'folders'>,
  asset: { kind: Kind; mime: string; folder: string },
): boolean {
  if (!canBeRendered(asset) || !recipe.kinds.includes(asset.kind)) return false;
  return recipe.folders.length === 0 || recipe.folders.some((folder) => isWithin(asset.folder, folder));
}

/** The effect of a recipe change on existing files. */
export function changesOutput(before: RecipeContent, after: RecipeContent): boolean {
  return contentText(before) !== contentText(after);
}

/** Types that `keep` preserves: those that every browser displays. */
const KEPT_MIMES = new Set(['image/jpeg', 'image/png', 'image/webp', 'image/avif', 'image/gif']);

/** Types that no browser displays, and that photographs are stored in. */
const PHOTOGRAPHIC = new Set(['image/tiff', 'image/heic', 'image/jxl', 'image/x-dcraw']);

/** The media type that a recipe makes from a file of type `mime`. `keep` falls back to a type that every browser displays. */
export function outputMime({ output }: Pick<Recipe, 'output'>, mime: string): string {
  if (output.format !== 'keep') return `image/${output.format}`;
  if (KEPT_MIMES.has(mime)) return mime;
  return PHOTOGRAPHIC.has(mime) || mime.startsWith('video/') ? 'image/jpeg' : 'image/png';
}

/** Tells whether a type supports animation here. */
export function holdsAnimation(mime: string): boolean {
  return mime === 'image/gif' || mime === 'image/webp';
}
