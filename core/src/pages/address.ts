/** The parts of a reference. A part that is not written is undefined; an empty query is `''`. Source: RFC 3986, 3. */
export interface AddressParts {
  scheme: string | undefined;
  authority: string | undefined;
  path: string;
  query: string | undefined;
  fragment: string | undefined;
}

/** Source: RFC 3986, appendix B, with a scheme as 3.1 defines it. */
const REFERENCE = /^(?:([a-z][a-z0-9+.-]*):)?(?:\/\/([^/?#]*))?([^?#]*)(?:\?([^#]*))?(?:#([\s\S]*))?$/i;

export function splitAddress(address: string): AddressParts {
  const [, scheme, authority, path = '', query, fragment] = REFERENCE.exec(address) ?? [];
  return { scheme, authority, path, query, fragment };
}

/** Source: RFC 3986, 5.3. */
export function joinAddress({ scheme, authority, path, query, fragment }: AddressParts): string {
  return [
    scheme === undefined ? '' : `${scheme}:`,
    authority === undefined ? '' : `//${authority}`,
    path,
    query === undefined ? '' : `?${query}`,
    fragment === undefined ? '' : `#${fragment}`,
  ].join('');
}

/** Resolves a reference against the absolute address of its document or its base. Source: RFC 3986, 5.2, strict. */
export function resolveAddress(reference: string, base: string): string {
  const given = splitAddress(reference);
  if (given.scheme !== undefined) return joinAddress({ ...given, path: removeDots(given.path) });
  const { scheme, authority, path, query } = splitAddress(base);
  if (given.authority !== undefined) return joinAddress({ ...given, scheme, path: removeDots(given.path) });
  if (given.path === '')
    return joinAddress({ scheme, authority, path, query: given.query ?? query, fragment: given.fragment });
  const merged = given.path.startsWith('/') ? given.path : mergePaths({ authority, path }, given.path);
  return joinAddress({
    scheme,
    authority,
    path: removeDots(merged),
    query: given.query,
    fragment: given.fragment,
  });
}

const ROOTED = /^(?:[a-z][a-z0-9+.-]*:)?\//i;

/** Whether an address begins with a slash, after its scheme if it has one: it leads to the same place from all documents of a site. */
export function isRooted(address: string): boolean {
  return ROOTED.test(address);
}

/**
 * What an address is resolved against, as far as it matters: for one with a scheme or an absolute path only where the site
 * of its document is. Addresses with the same scope and text lead to the same place.
 */
export function scopeOf(address: string, base: string | null): string {
  if (base === null || !isRooted(address)) return base ?? '';
  const { scheme, authority } = splitAddress(base);
  return joinAddress({ scheme, authority, path: '', query: undefined, fragment: undefined });
}

/** Source: RFC 3986, 5.2.3. */
function mergePaths(base: { authority: string | undefined; path: string }, path: string): string {
  if (base.authority !== undefined && base.path === '') return `/${path}`;
  return base.path.slice(0, base.path.lastIndexOf('/') + 1) + path;
}

/** Source: RFC 3986, 5.2.4. */
function removeDots(path: string): string {
  if (!path.includes('.')) return path;
  const kept: string[] = [];
  const segments = path.split('/');
  for (const [index, segment] of segments.entries()) {
    const isLast = index === segments.length - 1;
    // The first segment of an absolute path is the empty one before its slash.
    if (segment === '..') {
      if (kept.length > 1 || (kept.length === 1 && kept[0] !== '')) kept.pop();
    } else if (segment !== '.') kept.push(segment);
    if (isLast && (segment === '.' || segment === '..')) kept.push('');
  }
  return kept.length === 1 && kept[0] === '' && path.startsWith('/') ? '/' : kept.join('/');
}

const DEFAULT_PORTS: Record<string, string> = { http: '80', https: '443' };

/**
 * Writes equal addresses in the same way, to compare them: the case of scheme and host, default ports, dot segments,
 * percent-encoding, and no fragment. Source: RFC 3986, 6.2.2 and 6.2.3; RFC 3987, 3.1 for characters beyond ASCII.
 */
export function normalizeAddress(address: string): string {
  const parts = splitAddress(address);
  const scheme = parts.scheme?.toLowerCase();
  const authority = parts.authority === undefined ? undefined : normalizeAuthority(parts.authority, scheme);
  // Browsers read a backslash as a slash. Source: WHATWG URL, "relative slash state".
  const path = removeDots(normalizePercent(parts.path.replaceAll('\\', '/')));
  return joinAddress({
    scheme,
    authority,
    path: path === '' && authority !== undefined ? '/' : path,
    query: parts.query === undefined ? undefined : normalizePercent(parts.query),
    fragment: undefined,
  });
}

function normalizeAuthority(authority: string, scheme: string | undefined): string {
  const lower = authority.toLowerCase();
  const port = /:(\d*)$/.exec(lower)?.[1];
  const isDefault = port === '' || (scheme !== undefined && DEFAULT_PORTS[scheme] === port);
  return port !== undefined && isDefault ? lower.slice(0, lower.lastIndexOf(':')) : lower;
}

const UNRESERVED = /[A-Za-z0-9\-._~]/;
const IS_NORMAL = /^[A-Za-z0-9\-._~/!$&'()*+,;=:@?]*$/;

function normalizePercent(text: string): string {
  if (IS_NORMAL.test(text)) return text;
  return text
    .replace(/%([0-9a-f]{2})/gi, (whole, digits: string) => {
      const character = String.fromCharCode(Number.parseInt(digits, 16));
      return UNRESERVED.test(character) ? character : whole.toUpperCase();
    })
    .replace(/[^A-Za-z0-9\-._~/!$&'()*+,;=:@?%]+|%(?![0-9A-F]{2})/gi, (some) => percentEncode(some));
}

function percentEncode(text: string): string {
  return [...new TextEncoder().encode(text)]
    .map((byte) => `%${byte.toString(16).toUpperCase().padStart(2, '0')}`)
    .join('');
}

/** Characters that are left in an address: all that RFC 3986 allows, and no quote that an attribute could end at. */
const NOT_WRITTEN = /[^A-Za-z0-9\-._~/!$&()*+,;=:@?#[\]%]+/g;

/** Writes an address in ASCII, so that documents of any encoding can hold it. */
export function toAscii(address: string): string {
  return address.replace(NOT_WRITTEN, percentEncode);
}

/**
 * Writes an absolute address the way that the one it replaces was written: without scheme and host where both are on
 * the same site, without the scheme where that was left out. The fragment stays; a query stays where the new one has none.
 */
export function writeLike(before: string, after: string, base: string | null): string {
  const old = splitAddress(before);
  const next = splitAddress(after);
  const fragment = next.fragment ?? old.fragment;
  const site = base === null ? null : splitAddress(base);
  const whole = { ...next, fragment };
  if (old.scheme !== undefined || next.scheme === undefined) return toAscii(joinAddress(whole));
  const isSameSite = site !== null && sameSite(site, next);
  if (old.authority === undefined && isSameSite)
    return toAscii(joinAddress({ ...whole, scheme: undefined, authority: undefined }));
  const isSameScheme = site?.scheme?.toLowerCase() === next.scheme.toLowerCase();
  return toAscii(
    joinAddress(isSameScheme && old.authority !== undefined ? { ...whole, scheme: undefined } : whole),
  );
}

function sameSite(one: AddressParts, other: AddressParts): boolean {
  const [a, b] = [one.scheme?.toLowerCase(), other.scheme?.toLowerCase()];
  return (
    a === b && normalizeAuthority(one.authority ?? '', a) === normalizeAuthority(other.authority ?? '', b)
  );
}
