import type { Asset, AssetRendition } from '../library/asset.js';

/** What a page needs to show one rendition in the existing widths and formats. */
export interface Snippet {
  html: string;
  /** Of the main format. */
  srcset: string;
  sizes: string;
  src: string;
}

/** Browsers use the first source that they support: best compression first. */
const SOURCE_ORDER = ['image/avif', 'image/webp'];

/**
 * Writes the `picture` element of a recipe's renditions: a `source` for each additional format, `srcset` with width
 * descriptors, and an `img` for every browser, with its size so that the page does not shift. Source: WHATWG HTML,
 * §4.8.1 (picture), §4.8.2 (source) and §4.8.4.2.1 (srcset attributes).
 *
 * @param sizes the `sizes` attribute: how wide the picture is shown
 * @returns null when the recipe has made nothing yet
 */
export function pictureSnippet(
  asset: Pick<Asset, 'alt' | 'renditions'>,
  recipe: string,
  sizes = '100vw',
): Snippet | null {
  const made = asset.renditions.filter(
    (one): one is AssetRendition & { url: string; mime: string; width: number; height: number } =>
      one.recipe === recipe &&
      one.state !== 'surplus' &&
      one.url !== null &&
      one.mime !== null &&
      one.width !== null &&
      one.height !== null,
  );
  const main = made.find(({ variant }) => variant === null);
  if (!main) return null;
  const srcsetOf = (mime: string) =>
    made
      .filter((one) => one.mime === mime)
      .sort((a, b) => a.width - b.width)
      .map(({ url, width }) => `${url.replaceAll(',', '%2C')} ${width}w`)
      .join(', ');
  const others = SOURCE_ORDER.filter((mime) => mime !== main.mime && made.some((one) => one.mime === mime));
  const srcset = srcsetOf(main.mime);
  const hasChoice = made.filter(({ mime }) => mime === main.mime).length > 1;
  const attributes = [
    `src="${escapeHtml(main.url)}"`,
    ...(hasChoice ? [`srcset="${escapeHtml(srcset)}"`, `sizes="${escapeHtml(sizes)}"`] : []),
    `width="${main.width}"`,
    `height="${main.height}"`,
    `alt="${escapeHtml(asset.alt ?? '')}"`,
    'loading="lazy"',
    'decoding="async"',
  ];
  const image = `<img ${attributes.join(' ')}>`;
  const sources = others.map(
    (mime) =>
      `  <source type="${mime}" srcset="${escapeHtml(srcsetOf(mime))}" sizes="${escapeHtml(sizes)}">\n`,
  );
  const html = sources.length > 0 ? `<picture>\n${sources.join('')}  ${image}\n</picture>` : image;
  return { html, srcset: hasChoice ? srcset : '', sizes, src: main.url };
}

function escapeHtml(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('"', '&quot;').replaceAll('<', '&lt;');
}
