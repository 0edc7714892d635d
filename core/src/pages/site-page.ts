import type { Asset } from '../library/asset.js';
import type { Kind } from '../library/kinds.js';

/** A page of the site without its content. */
export interface PageSummary {
  id: string;
  type: string;
  title: string;
  slug: string;
  path: string;
  parent: string | null;
  inNavigation: boolean;
  position: number;
  state: 'draft' | 'published';
  /** Something is written that is not published. */
  hasChanges: boolean;
  broken: number;
  revision: number;
  publishedAt: string | null;
  updatedAt: string;
  updatedBy: string;
}

/** A file in a region of a page. */
export interface RegionEntry<Media = Asset> {
  asset: Media;
  recipe: string | null;
  caption: string | null;
}

/** A page as it is written. */
export interface SitePageAnswer extends PageSummary {
  /** HTML in which media are named by `data-asset`. */
  body: string;
  /** As the site shows it. */
  html: string;
  slots: Record<string, Asset[]>;
  regions: Record<string, RegionEntry[]>;
}

/** A named place for files on pages of a type. */
export interface SlotAnswer {
  name: string;
  help: string | null;
  kinds: Kind[];
  folders: string[];
  least: number;
  most: number | null;
}

export interface PageTypeAnswer {
  name: string;
  title: string;
  slots: SlotAnswer[];
  regions: string[];
}

/** A state that a page had. */
export interface RevisionAnswer {
  revision: number;
  title: string;
  autosaved: boolean;
  savedBy: string;
  savedAt: string;
}
