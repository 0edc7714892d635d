import type { Asset } from '../library/asset.js';
import { pictureSnippet } from '../recipes/snippet.js';
import { escapeText, type Gallery } from './page-body.js';

/**
 * Writes the HTML that shows an asset on a page: a picture, a player, a film from elsewhere, or a link to a file.
 *
 * @param sizes how wide a picture with several widths is shown, as in the `sizes` attribute
 */
export function mediaHtml(asset: Asset, recipe: string | null, alt: string | null, sizes?: string): string {
  const text = alt ?? asset.alt ?? '';
  switch (asset.kind) {
    case 'image':
    case 'vector':
      return pictureHtml(asset, recipe, text, sizes);
    case 'video':
      return `<video src="${escapeText(asset.url)}" controls preload="none"${posterOf(asset, recipe)} aria-label="${escapeText(text || nameOf(asset))}"></video>`;
    case 'audio':
      return `<audio src="${escapeText(asset.url)}" controls preload="none" aria-label="${escapeText(text || nameOf(asset))}"></audio>`;
    case 'link':
      return embedHtml(asset, recipe, text);
    default:
      return `<a href="${escapeText(asset.url)}">${escapeText(text || nameOf(asset))}</a>`;
  }
}

/** The address of an asset, or of what a recipe has made of it. */
export function addressOf(asset: Asset, recipe: string | null): string {
  if (asset.link) return asset.link.address;
  return renditionOf(asset, recipe)?.url ?? asset.url;
}

function renditionOf(asset: Asset, recipe: string | null) {
  if (recipe === null) return null;
  const made = asset.renditions.filter((one) => one.recipe === recipe && one.url !== null);
  return made.find(({ variant }) => variant === null) ?? made[0] ?? null;
}

function pictureHtml(asset: Asset, recipe: string | null, alt: string, sizes?: string): string {
  const made = recipe === null ? null : pictureSnippet({ ...asset, alt }, recipe, sizes);
  if (made) return made.html;
  const size = asset.width && asset.height ? ` width="${asset.width}" height="${asset.height}"` : '';
  return `<img src="${escapeText(asset.url)}"${size} alt="${escapeText(alt)}" loading="lazy" decoding="async">`;
}

function posterOf(asset: Asset, recipe: string | null): string {
  const poster =
    renditionOf(asset, recipe) ?? asset.renditions.find(({ mime }) => mime?.startsWith('image/'));
  return poster?.url ? ` poster="${escapeText(poster.url)}"` : '';
}

/**
 * A film or post from elsewhere. Nothing of it is loaded before somebody opens it: a lazy frame in closed details is not
 * rendered. What a provider wrote runs in a frame without the rights of the page.
 * Source: WHATWG HTML, "The details element" and "Lazy loading attributes".
 */
function embedHtml(asset: Asset, recipe: string | null, text: string): string {
  const { link } = asset;
  if (!link) return '';
  const title = escapeText(text || nameOf(asset));
  const preview = renditionOf(asset, recipe) ?? asset.renditions.find(({ url }) => url !== null);
  const picture = preview?.url
    ? `<img src="${escapeText(preview.url)}" alt="" loading="lazy" decoding="async">`
    : '';
  const size = link.width && link.height ? ` width="${link.width}" height="${link.height}"` : '';
  const frame = link.html
    ? `<iframe srcdoc="${escapeText(link.html)}" sandbox="allow-scripts allow-popups" loading="lazy" title="${title}"${size}></iframe>`
    : '';
  const source = `<a href="${escapeText(link.address)}" rel="noreferrer">${escapeText(link.provider ?? hostOf(link.address))}</a>`;
  return `<details class="embed"><summary>${picture}<span>${title}</span></summary>${frame}${source}</details>`;
}

/** Writes a gallery: each picture leads to its original, and has its caption below. */
export function galleryHtml({ layout, recipe }: Gallery, assets: readonly Asset[]): string {
  const items = assets.map((asset) => {
    const caption = asset.caption ? `<figcaption>${escapeText(asset.caption)}</figcaption>` : '';
    return `<figure><a href="${escapeText(asset.url)}">${mediaHtml(asset, recipe, null)}</a>${caption}</figure>`;
  });
  return `<div class="gallery gallery-${layout}">${items.join('')}</div>`;
}

function nameOf({ title, name }: Asset): string {
  return title ?? name;
}

function hostOf(address: string): string {
  return /^https?:\/\/([^/?#]+)/i.exec(address)?.[1] ?? address;
}
