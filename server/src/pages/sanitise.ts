import { GALLERY_LAYOUTS } from '@uniferum/core/pages';
import sanitizeHtml from 'sanitize-html';

/** Attributes that name an asset and how it is shown. */
const PLACED = ['data-asset', 'data-recipe'];
const TEXT_TAGS =
  'p br hr h2 h3 h4 strong em u s sub sup code pre blockquote ul ol li table thead tbody tr th td'.split(' ');

/**
 * The body of a page as it is stored: text, links, and places that name assets. Styles, scripts, forms, and addresses of
 * anything but the web, mail and telephone are left out.
 */
export function sanitiseBody(body: string): string {
  // What a first pass leaves of a broken nesting is put right by a second: cleaned once more, it stays as it is.
  return cleaned(cleaned(body));
}

function cleaned(body: string): string {
  return sanitizeHtml(body, {
    allowedTags: [...TEXT_TAGS, 'a', 'img', 'figure', 'figcaption'],
    allowedAttributes: {
      a: ['href', 'title', ...PLACED],
      img: ['src', 'alt', 'title', 'width', 'height', 'data-decorative', ...PLACED],
      figure: [
        { name: 'data-align', multiple: false, values: ['left', 'centre', 'right', 'wide'] },
        { name: 'data-gallery', multiple: false, values: [...GALLERY_LAYOUTS] },
        ...['data-assets', 'data-folder', 'data-filter', 'data-recipe'],
      ],
      th: ['colspan', 'rowspan', 'scope'],
      td: ['colspan', 'rowspan'],
      ol: ['start'],
    },
    allowedSchemes: ['http', 'https', 'mailto', 'tel'],
    allowedSchemesByTag: { img: ['http', 'https'] },
    allowProtocolRelative: false,
    disallowedTagsMode: 'discard',
    parser: { decodeEntities: true },
  });
}
