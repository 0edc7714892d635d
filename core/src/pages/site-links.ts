import { splitAddress } from './address.js';
import { targetOf } from './reference.js';

/** What belongs to a site that is read over the network. */
export interface SiteLimits {
  /** Its first page. Pages on the same host, below the folder of this address, belong to the site. */
  url: string;
  /** How many links away from the first page one is still read. */
  depth: number;
  /** Whether everything that pages refer to is asked for. */
  checked: boolean;
}

/** An address that a page of a site leads to: a page to read as well, or anything that only has to be there. */
export interface SiteLink {
  /** Absolute, without a fragment. */
  url: string;
  what: 'page' | 'check';
  /** The number of links from the first page. */
  depth: number;
}

const PAGE_ATTRIBUTE = /^(?:a href|area href|i?frame src)$/;
const FILE_NAME =
  /\.(?:jpe?g|png|gif|webp|avif|svgz?|hei[cf]|tiff?|bmp|ico|jxl|mp4|m4v|webm|mov|og[gva]|mp3|m4a|wav|flac|opus|vtt|pdf|zip|gz|docx?|xlsx?|pptx?|od[tsp]|epub|csv|js|json|woff2?)$/i;
const SHEET_NAME = /\.css$/i;

/** Where a reference on a page of a site leads to; null when there is nothing to read or to check. */
export function siteLink(
  { attribute, address }: { attribute: string; address: string },
  page: { base: string | null; depth: number },
  limits: SiteLimits,
): SiteLink | null {
  const target = targetOf(address, page.base);
  if (target === null || !/^https?:\/\//i.test(target)) return null;
  const url = withoutFragment(target);
  const { path } = splitAddress(url);
  // A host to connect to in advance, which need not have a page.
  if (attribute === 'link href' && path === '/') return null;
  if (isWithinSite(limits.url, url)) {
    if (SHEET_NAME.test(path)) return { url, what: 'page', depth: page.depth };
    if (PAGE_ATTRIBUTE.test(attribute) && !FILE_NAME.test(path) && page.depth < limits.depth)
      return { url, what: 'page', depth: page.depth + 1 };
  }
  return limits.checked ? { url, what: 'check', depth: page.depth } : null;
}

/** Tells whether a page belongs to a site: it has the same host and is below the folder of its first page. */
export function isWithinSite(first: string, url: string): boolean {
  const [root, page] = [splitAddress(first), splitAddress(url)];
  const folder = root.path.slice(0, root.path.lastIndexOf('/') + 1);
  return (
    root.scheme?.toLowerCase() === page.scheme?.toLowerCase() &&
    root.authority?.toLowerCase() === page.authority?.toLowerCase() &&
    page.path.startsWith(folder)
  );
}

export function withoutFragment(url: string): string {
  const at = url.indexOf('#');
  return at < 0 ? url : url.slice(0, at);
}
