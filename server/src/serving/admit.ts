import type { Request, Response } from 'express';
import { servedFrom } from '../copies/served-from.js';
import type { AssetRow } from '../library/asset-queries.js';
import { mayReadPrivate, PRIVATE_CACHE } from '../library/visibility.js';
import type { Answer } from '../shared/answer.js';
import { notFound } from '../shared/errors.js';
import type { Principal } from '../shared/principal.js';
import { useLink } from './links.js';
import type { ServingTools } from './tools.js';

/** Short, because the bytes at a URL change with a new version; the entity tag makes revalidation cheap. */
const CACHE_CONTROL = 'public, max-age=60, stale-while-revalidate=600';

/** The caller and the request. */
export interface Asking {
  who: Principal;
  req: Request;
  res: Response;
}

/** Who is sent on, and what they may do. */
export interface Way {
  access: Access;
  asking: Asking;
}

/** A link leads on with its token. */
export function forwardTo(tools: ServingTools, address: string, { access, asking }: Way): Answer {
  const { link } = asking.req.query;
  const token = access.isPrivate && typeof link === 'string' ? `?link=${encodeURIComponent(link)}` : '';
  const cache = access.isPrivate ? PRIVATE_CACHE : 'public, max-age=60';
  return {
    status: 308,
    headers: { Location: tools.config.mediaUrl + address + token, 'Cache-Control': cache },
  };
}

/** What a caller may do with a file. */
export interface Access {
  isPrivate: boolean;
  /** The store that visitors are sent to; null when this request is answered from here. */
  serveFrom: number | null;
}

/**
 * Decides whether the caller may read a file. A private one needs a key, a session or a link, and doesn't seem to exist
 * otherwise.
 */
export async function admit(
  tools: ServingTools,
  asset: AssetRow,
  file: { recipe: string; variant: string; bytes: number },
  { who, req }: Asking,
): Promise<Access> {
  const { isPrivate, serveFrom } = await tools.settings.of(tools.db, asset);
  // The console shows only pictures of its own servers.
  const fromHere = { isPrivate, serveFrom: null };
  if (!isPrivate) return who.kind === 'nobody' ? { isPrivate, serveFrom } : fromHere;
  if (mayReadPrivate(who)) return fromHere;
  if (await useLink(tools.db, req, asset, file)) return { isPrivate, serveFrom };
  throw notFound(`The address ${req.path}`);
}

export async function leadElsewhere(
  tools: ServingTools,
  asset: AssetRow,
  file: { recipe: string; variant: string; sha256: string; name: string },
  { access: { isPrivate, serveFrom }, asking: { req } }: Way,
): Promise<Answer | null> {
  // A signed address is for GET only.
  if (serveFrom === null || (isPrivate && req.method === 'HEAD')) return null;
  const url = await servedFrom(tools, asset, file, { serveFrom, isPrivate });
  if (url === null) return null;
  const cache = isPrivate ? PRIVATE_CACHE : 'public, max-age=60';
  return { status: 302, headers: { Location: url, 'Cache-Control': cache } };
}

const DIGEST_DIGITS = 12;
const FOREVER = 'public, max-age=31536000, immutable';

/** An address that names the bytes by `v` may be cached for ever, as long as these are the bytes. */
export function cacheControl(req: Request, { isPrivate }: Access, version: string): string {
  if (isPrivate) return PRIVATE_CACHE;
  const { v } = req.query;
  return typeof v === 'string' && v.length >= DIGEST_DIGITS && version.startsWith(v)
    ? FOREVER
    : CACHE_CONTROL;
}
