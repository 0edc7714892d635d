import { mergeAttributes, Node } from '@tiptap/core';
import { ReactNodeViewRenderer } from '@tiptap/react';
import type { GalleryAttributes, MediaAttributes } from './media-attributes.js';
import { GalleryView, MediaView } from './media-view.js';

const without = { rendered: false };

/** A picture, film, sound or file of the library in running text: `<figure><img data-asset="7" data-recipe="wide"></figure>`. */
export const MediaNode = Node.create({
  name: 'media',
  group: 'block',
  atom: true,
  draggable: true,
  addAttributes: () => ({
    asset: { default: '', ...without },
    recipe: { default: null, ...without },
    alt: { default: null, ...without },
    decorative: { default: false, ...without },
    align: { default: null, ...without },
    caption: { default: '', ...without },
    href: { default: '', ...without },
  }),
  parseHTML: () => [
    {
      tag: 'figure',
      getAttrs: (figure) => {
        const image = figure.querySelector('img[data-asset]');
        return image ? readMedia(image, figure) : false;
      },
    },
    { tag: 'img[data-asset]', getAttrs: (image) => readMedia(image, null) },
  ],
  renderHTML({ node }) {
    const { asset, recipe, alt, decorative, align, caption, href } = node.attrs as MediaAttributes;
    const image = [
      'img',
      {
        'data-asset': asset,
        ...(recipe && { 'data-recipe': recipe }),
        ...(alt !== null && !decorative && { alt }),
        ...(decorative && { alt: '', 'data-decorative': '' }),
      },
    ] as const;
    const shown = href === '' ? image : (['a', { href }, image] as const);
    return [
      'figure',
      align ? { 'data-align': align } : {},
      shown,
      ...(caption === '' ? [] : [['figcaption', {}, caption] as const]),
    ] as never;
  },
  addNodeView: () => ReactNodeViewRenderer(MediaView),
});

function readMedia(image: Element, figure: Element | null): MediaAttributes {
  const align = figure?.getAttribute('data-align') ?? null;
  return {
    asset: image.getAttribute('data-asset') ?? '',
    recipe: image.getAttribute('data-recipe'),
    alt: image.getAttribute('alt'),
    decorative: image.hasAttribute('data-decorative'),
    align: align as MediaAttributes['align'],
    caption: figure?.querySelector('figcaption')?.textContent ?? '',
    href: image.closest('a')?.getAttribute('href') ?? '',
  };
}

/** Pictures of a folder, a filter or a selection: `<figure data-gallery="rows" data-folder="/lights"></figure>`. */
export const GalleryNode = Node.create({
  name: 'gallery',
  group: 'block',
  atom: true,
  draggable: true,
  addAttributes: () => ({
    layout: { default: 'rows', ...without },
    recipe: { default: null, ...without },
    assets: { default: '', ...without },
    folder: { default: '', ...without },
    filter: { default: '', ...without },
  }),
  // Before the figure of a picture is tried.
  parseHTML: () => [
    {
      tag: 'figure[data-gallery]',
      priority: 60,
      getAttrs: (figure) => ({
        layout: figure.getAttribute('data-gallery'),
        recipe: figure.getAttribute('data-recipe'),
        assets: figure.getAttribute('data-assets') ?? '',
        folder: figure.getAttribute('data-folder') ?? '',
        filter: figure.getAttribute('data-filter') ?? '',
      }),
    },
  ],
  renderHTML({ node, HTMLAttributes }) {
    const { layout, recipe, assets, folder, filter } = node.attrs as GalleryAttributes;
    return [
      'figure',
      mergeAttributes(HTMLAttributes, {
        'data-gallery': layout,
        ...(recipe && { 'data-recipe': recipe }),
        ...(assets && { 'data-assets': assets }),
        ...(folder && { 'data-folder': folder }),
        ...(filter && { 'data-filter': filter }),
      }),
    ];
  },
  addNodeView: () => ReactNodeViewRenderer(GalleryView),
});
