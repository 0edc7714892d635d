/** A named place for files on pages of a type. */
export interface SlotType {
  name: string;
  help: string | null;
  /** The kinds of assets that it takes; all when there are none. */
  kinds: string[];
  /** The folders, with their subfolders, that it takes assets from; all when there are none. */
  folders: string[];
  least: number;
  /** Null for any number. */
  most: number | null;
}

export interface PageType {
  name: string;
  title: string;
  slots: SlotType[];
  regions: string[];
  revision: number;
}

/** A file in a region of a page. */
export interface RegionEntry {
  asset: string;
  recipe: string | null;
  caption: string | null;
}

/** What an editor writes. */
export interface PageContent {
  title: string;
  /** With places that name assets. */
  body: string;
  /** The ids of assets by slot, in their order. */
  slots: Record<string, string[]>;
  regions: Record<string, RegionEntry[]>;
}

/** A page without its content. */
export interface SitePage {
  id: string;
  type: string;
  parentId: string | null;
  slug: string;
  path: string;
  title: string;
  inNavigation: boolean;
  position: number;
  revision: number;
  publishedRevision: number | null;
  publishedAt: Date | null;
  updatedBy: string;
  updatedAt: Date;
}

/** A change of a page; what is left out stays. */
export interface PagePatch extends Partial<PageContent> {
  type?: string;
  slug?: string;
  parent?: string | null;
  inNavigation?: boolean;
  position?: number;
  state?: 'draft' | 'published';
}

/** The path of a page: that of the page above it, and its own slug. The first page has an empty slug. */
export function pathOfPage(parent: string | null, slug: string): string {
  if (parent === null) return `/${slug}`;
  return `${parent === '/' ? '' : parent}/${slug}`;
}
