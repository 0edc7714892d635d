import { DomUtils, parseDocument } from 'htmlparser2';
import { toCharacterReference } from './tag-reader.js';

/** A tree of the body of a page, as the parser makes it. */
type Document = ReturnType<typeof parseDocument>;
type Element = ReturnType<typeof DomUtils.getElementsByTagName>[number];

/** A place in the body of a page that names an asset by its id, whatever its address is. */
export interface StableReference {
  asset: string;
  /** Null for the original. */
  recipe: string | null;
  attribute: string;
  /** In characters. */
  offset: number;
}

/** How pictures of a gallery lie: in rows of one height, in a grid of squares, or one after the other. */
export const GALLERY_LAYOUTS = ['rows', 'grid', 'sequence'] as const;
export type GalleryLayout = (typeof GALLERY_LAYOUTS)[number];

/** What a gallery shows: these assets, or all results of a filter in a folder. */
export interface Gallery {
  layout: GalleryLayout;
  recipe: string | null;
  assets: string[] | null;
  folder: string | null;
  filter: string | null;
}

const ID = /^[1-9]\d{0,18}$/;

/** Finds the places in a body that name assets. Those of a gallery are one for each asset that it lists. */
export function findStableReferences(body: string): StableReference[] {
  const found: StableReference[] = [];
  for (const element of elementsOf(parseDocument(body, { withStartIndices: true }))) {
    const { name, attribs } = element;
    const recipe = attribs['data-recipe'] || null;
    const offset = element.startIndex ?? 0;
    if (ID.test(attribs['data-asset'] ?? ''))
      found.push({ asset: attribs['data-asset'] as string, recipe, attribute: `${name} data-asset`, offset });
    for (const asset of readGallery(attribs)?.assets ?? [])
      found.push({ asset, recipe, attribute: 'gallery', offset });
  }
  return found;
}

/** Finds the galleries of a body that show the results of a filter. */
export function findGalleries(body: string): Gallery[] {
  return elementsOf(parseDocument(body)).flatMap(({ attribs }) => readGallery(attribs) ?? []);
}

/** Reads the attributes of a gallery; null for anything else. */
export function readGallery(attributes: Readonly<Record<string, string>>): Gallery | null {
  const layout = GALLERY_LAYOUTS.find((one) => one === attributes['data-gallery']);
  if (layout === undefined) return null;
  const assets = attributes['data-assets']?.split(/\s+/).filter((id) => ID.test(id));
  return {
    layout,
    recipe: attributes['data-recipe'] || null,
    assets: assets ?? null,
    folder: attributes['data-folder'] || null,
    filter: attributes['data-filter'] || null,
  };
}

/** A picture of a body that has no text for those who can't see it. */
export interface PictureWithoutAlt {
  /** Its place among all pictures, from 1. */
  place: number;
  /** The asset whose own text is shown instead; null for a picture from elsewhere, or one whose text was emptied. */
  asset: string | null;
}

/** Finds the pictures of a body without alternative text, unless they are said to be decoration. */
export function picturesWithoutAlt(body: string): PictureWithoutAlt[] {
  const pictures = DomUtils.getElementsByTagName('img', parseDocument(body));
  return pictures.flatMap(
    ({ attribs: { alt, 'data-decorative': decorative, 'data-asset': asset } }, index) =>
      decorative !== undefined || (alt ?? '').trim() !== ''
        ? []
        : [{ place: index + 1, asset: alt === undefined ? (asset ?? null) : null }],
  );
}

/** Writes the HTML that shows media. Each returns null where there is nothing to show. */
export interface MediaWriter {
  /** @param alt the text of this place; null where it has none of its own */
  media(place: { asset: string; recipe: string | null; alt: string | null }): string | null;
  address(place: { asset: string; recipe: string | null }): string | null;
  gallery(gallery: Gallery): string | null;
}

/**
 * Turns the body of a page into the HTML that a site shows: places that name assets become what shows them. A picture
 * that is not there leaves its text, a link that leads nowhere what it encloses.
 */
export function resolveBody(body: string, writer: MediaWriter): string {
  const document = parseDocument(body);
  for (const element of elementsOf(document)) {
    const { attribs } = element;
    const recipe = attribs['data-recipe'] || null;
    const asset = attribs['data-asset'];
    const gallery = readGallery(attribs);
    if (gallery) replaceWith(element, writer.gallery(gallery) ?? '');
    else if (asset !== undefined && element.name === 'a')
      resolveLink(element, writer.address({ asset, recipe }));
    else if (asset !== undefined && element.name === 'img') {
      const alt = attribs.alt ?? null;
      replaceWith(element, writer.media({ asset, recipe, alt }) ?? escapeText(alt ?? ''));
    } else if (attribs['data-align']) {
      element.attribs = { ...withoutData(attribs), class: `align-${attribs['data-align']}` };
    }
  }
  return DomUtils.getInnerHTML(document as unknown as Element, {
    encodeEntities: 'utf8',
    emptyAttrs: true,
  });
}

function resolveLink(element: Element, address: string | null): void {
  if (address === null) {
    for (const child of [...element.children]) DomUtils.prepend(element, child);
    DomUtils.removeElement(element);
  } else element.attribs = { ...withoutData(element.attribs), href: address };
}

function replaceWith(element: Element, html: string): void {
  for (const child of [...parseDocument(html).children]) DomUtils.prepend(element, child);
  DomUtils.removeElement(element);
}

function withoutData(attribs: Readonly<Record<string, string>>): Record<string, string> {
  return Object.fromEntries(Object.entries(attribs).filter(([name]) => !name.startsWith('data-')));
}

/** All elements, in the order of the document, as they were before anything is replaced. */
function elementsOf(document: Document): Element[] {
  return DomUtils.getElementsByTagName('*', document);
}

/** Writes text for HTML, also within attributes. */
export function escapeText(text: string): string {
  return text.replace(/[&<>"']/g, toCharacterReference);
}
