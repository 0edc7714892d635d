import { findAssets } from '../library/asset-queries.js';
import type { Services } from '../shared/services.js';
import { findLatestFresh, findRenditions } from './queries.js';
import { renditionUrl } from './rendition-field.js';

/** A picture of this width is large enough to show what a recipe does. */
const SAMPLE_WIDTH_PX = 160;

/**
 * Finds a fresh rendition of each recipe as an example: of the newest asset, the smallest file that is large enough,
 * otherwise its largest.
 *
 * @returns URLs by recipe name; recipes without renditions are left out
 */
export async function findSamples(
  { db, config }: Pick<Services, 'db' | 'config'>,
  recipes: readonly string[],
): Promise<Map<string, string>> {
  const latest = await findLatestFresh(db, recipes);
  const ids = [...new Set(latest.map(({ asset_id }) => asset_id))];
  const [assets, rows] = await Promise.all([findAssets(db, ids), findRenditions(db, ids)]);
  const samples = new Map<string, string>();
  for (const { recipe, asset_id } of latest) {
    const asset = assets.find(({ id }) => id === asset_id);
    const files = rows
      .filter((row) => row.recipe === recipe && row.asset_id === asset_id && row.sha256 !== null)
      .sort((a, b) => (a.width ?? 0) - (b.width ?? 0));
    const file = files.find(({ width }) => (width ?? 0) >= SAMPLE_WIDTH_PX) ?? files.at(-1);
    const url = asset && file ? renditionUrl(asset, file, config.mediaUrl) : null;
    if (url !== null) samples.set(recipe, url);
  }
  return samples;
}
