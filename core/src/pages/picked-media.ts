import type { Asset, AssetRendition } from '../library/asset.js';
import { mediaHtml } from './page-html.js';

/** What a picker answers with. */
export interface PickedMedia {
  asset: Asset;
  /** The recipe of the chosen rendition; null for the original. */
  recipe: string | null;
  /** The chosen rendition, or all widths and formats of a ladder; empty for the original. */
  renditions: AssetRendition[];
  /** The alternative text as it was entered; empty for a decorative picture. */
  alt: string;
  /** Ready to be inserted into a page. */
  html: string;
}

/** How an asset is to be shown. */
export interface MediaChoice {
  recipe: string | null;
  alt: string;
  /** How wide a ladder is shown, as in the `sizes` attribute. @defaultValue 100vw */
  sizes?: string;
}

/** Puts together what a picker answers with. */
export function pickMedia(asset: Asset, { recipe, alt, sizes }: MediaChoice): PickedMedia {
  return {
    asset,
    recipe,
    renditions: asset.renditions.filter((one) => one.recipe === recipe && one.url !== null),
    alt,
    html: mediaHtml(asset, recipe, alt, sizes),
  };
}
