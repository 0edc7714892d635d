import type { AssetRow } from '../library/asset-queries.js';
import type { Executor } from '../shared/database.js';
import type { Buckets } from './buckets.js';
import { findStoredCopy } from './copy-queries.js';

/** How long an address of a private bucket works: long enough to begin a download. */
const SIGNED_FOR_S = 60;

/**
 * Finds where visitors are sent for a file.
 *
 * @param file `recipe` is empty for an original
 * @returns null when it is served from here: the store holds no good copy, or visitors can't read it there
 */
export async function servedFrom(
  { db, buckets }: { db: Executor; buckets: Buckets },
  asset: Pick<AssetRow, 'id'>,
  file: { recipe: string; variant: string; sha256: string; name: string },
  { serveFrom, isPrivate }: { serveFrom: number; isPrivate: boolean },
): Promise<string | null> {
  const { recipe, variant, sha256, name } = file;
  const copy = await findStoredCopy(db, {
    ...{ asset_id: asset.id, store_id: serveFrom, recipe, variant, sha256 },
  });
  if (!copy) return null;
  const { objects, isPublic } = await buckets.open(db, serveFrom);
  if (isPrivate)
    return objects.capabilities.has('signed-addresses')
      ? objects.signAddress(copy.store_key, { expiresInS: SIGNED_FOR_S, fileName: name })
      : null;
  return isPublic ? objects.publicAddress(copy.store_key) : null;
}
