import type { Transaction } from '../shared/database.js';
import { putRenditions } from './put-renditions.js';
import { type RenditionRow, UNKNOWN_ORIGIN } from './queries.js';
import { holdRecipes } from './recipe-lock-queries.js';

/** The name of the rendition that a link has of what its provider shows. No recipe can have it. */
export const PREVIEW = 'preview';

/** Writes down the picture that stands for media kept elsewhere. */
export async function keepPreview(
  tx: Transaction,
  assetId: string,
  picture: { sha256: string; bytes: number; width: number; height: number; mime: string },
): Promise<void> {
  await holdRecipes(tx);
  const after: RenditionRow = {
    asset_id: Number(assetId),
    recipe: PREVIEW,
    variant: '',
    state: 'fresh',
    ...UNKNOWN_ORIGIN,
    revision: 0,
    version: 1,
    ...picture,
  };
  await putRenditions(tx, [{ before: null, after }], { live: 1 });
}
