import type { Transaction } from '../shared/database.js';
import { putRenditions } from './put-renditions.js';
import { type RenditionRow, UNKNOWN_ORIGIN } from './queries.js';
import { holdRecipes } from './recipe-lock-queries.js';

/** The rendition name of a link's preview. No recipe can have this name. */
export const PREVIEW = 'preview';

/** Records the preview of media hosted elsewhere. */
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
