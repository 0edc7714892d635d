import type { DocumentFormat } from './reference.js';
import type { SiteLimits } from './site-links.js';

/** The kinds of page sources. */
export const SOURCE_KINDS = ['pages', 'folder', 'database', 'site'] as const;
export type SourceKind = (typeof SOURCE_KINDS)[number];

/** A folder of documents on the server. */
export interface FolderSettings {
  /** Absolute, and below one of the folders that the configuration names. */
  path: string;
  /** The address at which the folder is served, with a trailing slash; null when that isn't known. */
  url: string | null;
  /** Whether addresses in its documents may be rewritten. */
  writable: boolean;
  /** Whether it is looked through for changes from time to time. */
  watched: boolean;
}

/** Columns of a table in a MariaDB or MySQL database. Each value is a document. */
export interface DatabaseSettings {
  host: string;
  port: number;
  user: string;
  database: string;
  table: string;
  /** A column whose values are unique. */
  key: string;
  columns: { name: string; format: DocumentFormat }[];
  /** A column that holds the title of a page; null without one. */
  titleColumn: string | null;
  /** The address of a page, with `{key}` or the name of a column in braces; null when that isn't known. */
  url: string | null;
  writable: boolean;
  watched: boolean;
}

/** A site that is read over the network, from one address on. */
export interface SiteSettings extends SiteLimits {
  maxPages: number;
  /** At most so many requests are made per second. */
  perSecond: number;
}

/** Pages that are kept here; there is one such source. */
export interface PagesSettings {
  writable: boolean;
}

/** The settings of each kind of source. */
export interface SourceSettings {
  pages: PagesSettings;
  folder: FolderSettings;
  database: DatabaseSettings;
  site: SiteSettings;
}

/** A place where pages come from. */
export type PageSourceAnswer = {
  [Kind in SourceKind]: {
    id: string;
    kind: Kind;
    name: string;
    settings: SourceSettings[Kind];
    /** When its password was set; null without one. Passwords are never read. */
    secretSetAt: string | null;
    /** Whether addresses in it can be rewritten. */
    writable: boolean;
    documents: number;
    references: number;
    broken: number;
    indexedAt: string | null;
  };
}[SourceKind];

/** A place on a page where an asset is used. */
export interface Use {
  source: string;
  /** The path of the document within its source. */
  document: string;
  title: string | null;
  url: string | null;
  /** As written. */
  address: string;
  attribute: string;
  /** Null for the original. */
  recipe: string | null;
  /** Null: the current version, whichever that is. */
  version: number | null;
  offset: number;
}

/**
 * Why a reference is broken: nothing is or was there; the asset is in the bin; there is no such recipe; it was asked for,
 * and did not answer.
 */
export const BROKEN_REASONS = ['unknown', 'in-bin', 'no-recipe', 'unreachable'] as const;
export type BrokenReason = (typeof BROKEN_REASONS)[number];

/** An address on a page. */
export interface PageReference extends Use {
  id: string;
  asset: string | null;
  reason: BrokenReason | null;
  /** What an address that is unreachable answered; null otherwise. */
  detail: string | null;
  /** Where it could lead instead; null without a proposal. */
  fix: { address: string; by: 'original' | 'same-name' } | null;
}
