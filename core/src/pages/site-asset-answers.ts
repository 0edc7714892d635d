/** A folder of site assets in the answers of `GET /site-assets`. */
export interface SiteAssetsAnswer {
  id: string;
  name: string;
  /** On the server. */
  folder: string;
  /** Where the site serves it. */
  url: string;
  store: string;
  rewritePages: boolean;
  /** Null until it has been placed. */
  release: string | null;
  /** The base address of the release in the store. */
  releaseUrl: string | null;
  files: number;
  bytes: number;
  placedAt: string | null;
}

/** A file of the current release. */
export interface SiteFileAnswer {
  path: string;
  url: string;
  mime: string;
  bytes: number;
  sha256: string;
  /** For the attribute of that name. */
  integrity: string;
}

/** What placing a folder as it is now would do. */
export interface ReleasePlan {
  release: string;
  items: {
    path: string;
    bytes: number;
    change: 'new' | 'changed' | 'same' | 'removed';
    /** References of a style sheet that are rewritten. */
    edits: number;
    /** What a style sheet refers to and is not there. */
    missing: string[];
  }[];
  totals: {
    files: number;
    bytes: number;
    changed: number;
    edits: number;
    missing: number;
    /** Files of kinds that are not placed. */
    others: number;
  };
}
