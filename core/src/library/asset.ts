import type { CopyState } from '../copies/copy.js';
import type { Verdict } from '../intake/verdict.js';
import type { RenditionState } from '../recipes/recipe.js';
import type { FocalPoint } from './focal-point.js';
import type { Visibility } from './folder-access.js';
import type { Kind } from './kinds.js';

/** The texts of an asset, filled by people and metadata. */
export interface AssetTexts {
  title: string | null;
  alt: string | null;
  caption: string | null;
  credit: string | null;
  keywords: string[];
}

/** The names of the texts, in the order used in forms. */
export const TEXT_FIELDS = ['title', 'alt', 'caption', 'credit', 'keywords'] as const;

/** One rendition in an asset's answer. `url` is null until it was first made. */
export interface AssetRendition {
  recipe: string;
  /** Which of its recipe's additional sizes and formats it is: `500w.webp`; null for the main file. */
  variant: string | null;
  state: RenditionState;
  url: string | null;
  /** An address at which these bytes may be cached for ever; after they change, it leads to the new ones. */
  versionedUrl: string | null;
  mime: string | null;
  width: number | null;
  height: number | null;
  bytes: number | null;
  /** Why it failed, in a sentence; null otherwise. */
  error: string | null;
}

/** A place where the bytes of an asset's version are stored. */
export interface AssetCopy {
  store: string;
  state: CopyState;
  key: string;
  url: string | null;
}

/** Information about media hosted elsewhere, from its provider (oEmbed 1.0). */
export interface LinkFacts {
  /** The URL that people open. */
  address: string;
  type: 'photo' | 'video' | 'link' | 'rich';
  provider: string | null;
  author: string | null;
  /** The provider's HTML; only ever shown inside a sandbox. */
  html: string | null;
  width: number | null;
  height: number | null;
}

/** How an asset arrived. */
export interface AssetOrigin {
  intake: string | null;
  /** The name of the user or key that uploaded it. */
  by: string;
  via: 'console' | 'api';
  /** The original file name. */
  sentAs: string;
}

/** An asset as it appears in every answer of the API. Unknown values are null, times are UTC ISO 8601. */
export interface Asset extends AssetTexts {
  id: string;
  name: string;
  folder: { id: string; path: string };
  kind: Kind;
  mime: string;
  bytes: number;
  /** Pixels as displayed, with the Exif orientation applied. */
  width: number | null;
  height: number | null;
  /** The Exif orientation of the stored bytes, 1–8. */
  orientation: number | null;
  /** Seconds. */
  duration: number | null;
  sha256: string;
  /** Eight hexadecimal digits. */
  crc32: string;
  /** When it was taken, UTC. Where the offset isn't known, what the camera's clock showed, as if it were UTC. */
  capturedAt: string | null;
  /** What the camera's clock showed, with the offset from UTC where that is known: `2025-09-14T18:30:00+02:00`. */
  capturedLocal: string | null;
  focal: FocalPoint | null;
  createdAt: string;
  updatedAt: string;
  version: number;
  url: string;
  /** An address at which these bytes may be cached for ever; after they change, it leads to the new ones. */
  versionedUrl: string;
  download: string;
  /** A tiny picture as a data URI, shown until a rendition has loaded. */
  placeholder: string | null;
  /** Of kind `link` only. */
  link: LinkFacts | null;
  /** In how many places on pages it is used. */
  uses: number;
  renditions: AssetRendition[];
  copies: AssetCopy[];
  /** Who may read it; null takes what its folder says. */
  visibility: Visibility | null;
  origin: AssetOrigin;
  verdict: Verdict;
}

/** One page of a list. `next` is the cursor of the next page, or null. */
export interface Page<Item> {
  items: Item[];
  total: number;
  next: string | null;
}

/** A folder of the library. `items` and `bytes` count its direct contents. */
export interface Folder {
  id: string;
  path: string;
  name: string;
  colour: string | null;
  parent: string | null;
  items: number;
  bytes: number;
  /** The contents including all subfolders. */
  deepItems: number;
  deepBytes: number;
}

/** An event, as in an asset's history and the live stream. */
export interface HistoryEvent {
  id: string;
  type: string;
  at: string;
  by: string;
  data: Record<string, unknown>;
}
