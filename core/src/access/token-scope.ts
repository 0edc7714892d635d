/** What a token limits the rights it carries to. Tokens are short-lived: a site's server hands them to browsers. */
export interface TokenScope {
  /** The folder whose files it shows and into which it uploads, with the folders below. */
  folder: string;
  /** The origin of the page that may use it in a picker; null for any. */
  origin: string | null;
  /** The maximum size of an uploaded file, in bytes; null for what the folder allows. */
  maxBytes: number | null;
  /** How many files may be uploaded with it; null for any number. */
  maxItems: number | null;
  /** The extensions, media types and wildcards that may be uploaded; empty for all. */
  allow: string[];
  /** UTC, ISO 8601. */
  expiresAt: string;
}

/** Tells whether a folder lies within what a token shows. */
export function isInScope({ folder }: Pick<TokenScope, 'folder'>, path: string): boolean {
  return folder === '/' || path === folder || path.startsWith(`${folder}/`);
}
