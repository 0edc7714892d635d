import { createHash } from 'node:crypto';
import type { Request } from 'express';
import type { AssetRow } from '../library/asset-queries.js';
import type { Executor } from '../shared/database.js';
import { countDownload, findLink, type LinkRow } from './link-queries.js';

/** A part that doesn't begin with the first byte continues a download for this long after the last one was counted. */
const CONTINUED_MS = 3_600_000;

/** The digest under which a token is stored. */
export function tokenDigest(token: string): string {
  return createHash('sha256').update(token).digest('hex');
}

/**
 * Lets somebody read a file by a link, and counts it: once for a download, however many parts it is read in.
 *
 * @returns false when the link is not for this file, has expired, or is used up
 */
export async function useLink(
  db: Executor,
  req: Request,
  asset: Pick<AssetRow, 'id'>,
  file: { recipe: string; variant: string },
): Promise<boolean> {
  const { link: token } = req.query;
  if (typeof token !== 'string' || token === '') return false;
  const link = await findLink(db, tokenDigest(token));
  if (!link || link.asset_id !== asset.id) return false;
  if (link.recipe !== file.recipe || link.variant !== file.variant) return false;
  if (req.method === 'HEAD') return !isUsedUp(link);
  if (continues(req, link)) return true;
  return countDownload(db, link.id);
}

function isUsedUp({ max_downloads, downloads }: LinkRow): boolean {
  return max_downloads !== null && downloads >= max_downloads;
}

function continues(req: Request, { last_at }: LinkRow): boolean {
  if (last_at === null || Date.now() - last_at.getTime() > CONTINUED_MS) return false;
  const range = /^bytes=(\d*)-/.exec(req.get('range') ?? '');
  return range !== null && range[1] !== '0';
}
