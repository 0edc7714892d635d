import type { FocalPoint } from '@uniferum/core/library';
import {
  contentText,
  focalText,
  type Recipe,
  type RecipeContent,
  usesFocal,
  watermarkPictures,
} from '@uniferum/core/recipes';
import type { AssetRow } from '../library/asset-queries.js';
import { sha256Of } from '../shared/sha256.js';

/** The digest of a recipe's content; the same again after an edit is reverted. 32 hexadecimal digits. */
export function contentDigest(content: RecipeContent): string {
  return digest(contentText(content));
}

/** The focal point if the recipe depends on it; otherwise empty. */
export function focalOf(recipe: Pick<Recipe, 'steps'>, focal: FocalPoint | null): string {
  return usesFocal(recipe) ? focalText(focal) : '';
}

/** The digest of a recipe's watermarks; null without any. */
export function marksDigest(
  recipe: Pick<Recipe, 'steps'>,
  shaOf: (path: string) => string | null,
): string | null {
  const paths = watermarkPictures(recipe.steps);
  return paths.length === 0 ? null : digest(paths.map((path) => `${path} ${shaOf(path)}`).join('\n'));
}

/** An asset's focal point; null for none. */
export function focalPoint({ focal_x, focal_y }: Pick<AssetRow, 'focal_x' | 'focal_y'>): FocalPoint | null {
  return focal_x === null || focal_y === null ? null : { x: focal_x, y: focal_y };
}

function digest(text: string): string {
  return sha256Of(text).slice(0, 32);
}
