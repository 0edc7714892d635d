import type { Verdict } from '../intake/verdict.js';
import type { RenditionState } from '../recipes/recipe.js';
import type { FocalPoint } from './focal-point.js';
import type { Kind } from './kinds.js';

/** The texts of an asset that people and metadata fill in. */
export interface AssetTexts {
  title: string | null;
  alt: string | null;
  caption: string | null;
  credit: string | null;
  keywords: string[];
}

/** The names of the texts, in the order in which forms ask for them. */
export const TEXT_FIELDS = ['title', 'alt', 'caption', 'credit', 'keywords'] as const;

/** One rendition in an asset's answer. `url` is null until it was made once. */
export interface AssetRendition {
  recipe: string;
  /** Which of its recipe's further sizes and formats it is: `500w.webp`; null for the main file. */
  variant: string | null;
  state: RenditionState;
  url: string | null;
  mime: string | null;
  width: number | null;
  height: number | null;
  bytes: number | null;
  /** Why it failed, in a sentence; null otherwise. */
  error: string | null;
}

/** One place where the bytes of an asset's version are kept. */
export interface AssetCopy {
  store: string;
  state: 'kept';
  key: string;
  url: string | null;
}

/** What is known of media kept elsewhere, as its provider describes it (oEmbed 1.0). */
export interface LinkFacts {
  /** The address that people open. */
  address: string;
  type: 'photo' | 'video' | 'link' | 'rich';
  provider: string | null;
  author: string | null;
  /** What a page puts in its place; only ever shown inside a sandbox. */
  html: string | null;
  width: number | null;
  height: number | null;
}

/** How an asset came in. */
export interface AssetOrigin {
  intake: string | null;
  /** Who brought it: a person's or a key's name. */
  by: string;
  via: 'console' | 'api';
  /** The name under which it was sent. */
  sentAs: string;
}

/** An asset as every answer of the API gives it. Unknown values are null, times are UTC ISO 8601. */
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
  capturedAt: string | null;
  focal: FocalPoint | null;
  createdAt: string;
  updatedAt: string;
  version: number;
  url: string;
  download: string;
  /** A tiny picture as a data URI, to show until a rendition has loaded. */
  placeholder: string | null;
  /** Of kind `link` only. */
  link: LinkFacts | null;
  /** How many places use it; null until pages report their uses. */
  uses: number | null;
  renditions: AssetRendition[];
  copies: AssetCopy[];
  origin: AssetOrigin;
  verdict: Verdict;
}

/** A page of a list. `next` is the cursor of the page after it, or null. */
export interface Page<Item> {
  items: Item[];
  total: number;
  next: string | null;
}

/** A folder of the library. `items` and `bytes` count what is directly in it. */
export interface Folder {
  id: string;
  path: string;
  name: string;
  colour: string | null;
  parent: string | null;
  items: number;
  bytes: number;
  /** What is in it and in all folders below it. */
  deepItems: number;
  deepBytes: number;
}

/** One thing that happened, as in an asset's history and the live stream. */
export interface HistoryEvent {
  id: string;
  type: string;
  at: string;
  by: string;
  data: Record<string, unknown>;
}
