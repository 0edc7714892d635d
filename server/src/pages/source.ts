/** The kinds of page sources that can be indexed. */
export const SOURCE_KINDS = ['folder'] as const;
export type SourceKind = (typeof SOURCE_KINDS)[number];

/** A folder of documents on the server. */
export interface FolderSettings {
  /** Absolute, and below one of the folders that the configuration names. */
  path: string;
  /** The address at which the folder is served, with a trailing slash; null when that isn't known. */
  url: string | null;
  /** Whether addresses in its documents may be rewritten. */
  writable: boolean;
}

/** Where pages come from. */
export interface PageSource {
  id: string;
  kind: SourceKind;
  name: string;
  settings: FolderSettings;
  revision: number;
  indexedAt: Date | null;
}

/** A document of a source, before it is read. */
export interface ListedDocument {
  /** Relative to the source, with `/` between folders. */
  path: string;
  /** Changes whenever the document does. */
  stamp: string;
}
