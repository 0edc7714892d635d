import type { Request } from 'express';
import type { AssetRow } from '../library/asset-queries.js';
import type { Executor } from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';
import { countDownload, countPart, findLink, type LinkRow } from './link-queries.js';

/** Parts belong to a download for this long after it was counted. */
const CONTINUED_MS = 3_600_000;
/** A download that breaks off asks for some of its bytes again. */
const ROOM_PER_DOWNLOAD = 2;

/** The digest under which a token is stored. */
export function tokenDigest(token: string): string {
  return sha256Of(token);
}

/**
 * Lets somebody read a file by a link, and counts it: once for a download, also when it is read in parts. All parts of
 * one together may be twice the file.
 *
 * @returns false when the link is not for this file, has expired, or is used up
 */
export async function useLink(
  db: Executor,
  req: Request,
  asset: Pick<AssetRow, 'id'>,
  file: { recipe: string; variant: string; bytes: number },
): Promise<boolean> {
  const { link: token } = req.query;
  if (typeof token !== 'string' || token === '') return false;
  const link = await findLink(db, tokenDigest(token));
  if (!link || link.asset_id !== asset.id) return false;
  if (link.recipe !== file.recipe || link.variant !== file.variant) return false;
  if (req.method === 'HEAD') return !isUsedUp(link);
  const bytes = bytesAsked(req, file.bytes);
  const room = ROOM_PER_DOWNLOAD * file.bytes;
  if (bytes < file.bytes && (await countPart(db, link.id, { bytes, room, withinMs: CONTINUED_MS })))
    return true;
  return countDownload(db, link.id, bytes);
}

/** Whether a request has a link to some file of an asset that has not expired. Nothing is counted. */
export async function isLinked(db: Executor, req: Request, { id }: Pick<AssetRow, 'id'>): Promise<boolean> {
  const { link: token } = req.query;
  return typeof token === 'string' && (await findLink(db, tokenDigest(token)))?.asset_id === id;
}

function isUsedUp({ max_downloads, downloads }: LinkRow): boolean {
  return max_downloads !== null && downloads >= max_downloads;
}

/** Whatever may be answered with the whole file counts as the whole. Source: RFC 9110, sections 13.1.5 and 14.2. */
function bytesAsked(req: Request, size: number): number {
  const ranges = req.get('if-range') === undefined ? req.range(size, { combine: true }) : undefined;
  if (ranges === undefined || ranges === -1 || ranges === -2 || ranges.type !== 'bytes') return size;
  const [range] = ranges;
  return ranges.length === 1 && range ? range.end - range.start + 1 : size;
}
