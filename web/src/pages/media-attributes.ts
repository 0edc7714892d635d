/** How a place for media is set: what it shows, and how. */
export interface MediaAttributes {
  asset: string;
  recipe: string | null;
  /** Null: the text of the file is used. */
  alt: string | null;
  decorative: boolean;
  align: 'left' | 'centre' | 'right' | 'wide' | null;
  caption: string;
  /** Where the picture leads to; empty for nowhere. */
  href: string;
}

export const NEW_MEDIA: Omit<MediaAttributes, 'asset'> = {
  ...{ recipe: null, alt: null, decorative: false, align: null, caption: '', href: '' },
};

/** How a gallery is set. */
export interface GalleryAttributes {
  layout: 'rows' | 'grid' | 'sequence';
  recipe: string | null;
  /** Ids, separated by spaces; empty for the results of a filter. */
  assets: string;
  folder: string;
  filter: string;
}
