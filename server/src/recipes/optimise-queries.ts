import { type Executor, selectOne } from '../shared/database.js';

/** How originals can be optimised. */
export type OptimiseMode = { mode: 'lossless' } | { mode: 'likeness'; likeness: number };

/** How a mode is stored with an asset: `lossless`, or `like:0.99`. */
export function writeMode(mode: OptimiseMode): string {
  return mode.mode === 'lossless' ? 'lossless' : `like:${Number(mode.likeness.toFixed(5))}`;
}

export function readMode(text: string): OptimiseMode {
  return text.startsWith('like:')
    ? { mode: 'likeness', likeness: Number(text.slice(5)) }
    : { mode: 'lossless' };
}

/** How an asset's file is to be optimised, and whether its current version is; null when nobody asked for it. */
export async function findOptimiseRequest(
  db: Executor,
  assetId: string,
): Promise<{ mode: string; version: number; isOptimised: boolean } | null> {
  const row = await selectOne<{ optimise: string; version: number; optimised_from: number | null }>(
    db,
    `SELECT assets.optimise, assets.version, asset_versions.optimised_from
     FROM assets
     JOIN asset_versions ON asset_versions.asset_id = assets.id AND asset_versions.n = assets.version
     WHERE assets.id = ? AND assets.live = 1 AND assets.optimise IS NOT NULL`,
    [assetId],
  );
  return row && { mode: row.optimise, version: row.version, isOptimised: row.optimised_from !== null };
}
