import type { RenditionState } from '@uniferum/core/recipes';
import { type Executor, selectExpanded } from '../shared/database.js';

/** Reads assets that have a main file in one of the states, by id, newest first, with one more than `limit`. */
export async function listAssetsByState(
  db: Executor,
  {
    recipes,
    states,
    assets,
  }: { recipes: readonly string[]; states: readonly RenditionState[]; assets: readonly string[] | null },
  { limit, before }: { limit: number; before: number | null },
): Promise<number[]> {
  if (assets !== null && assets.length === 0) return [];
  const rows = await selectExpanded<{ asset_id: number }>(
    db,
    `SELECT DISTINCT renditions.asset_id
     FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     WHERE renditions.recipe IN (?) AND renditions.variant = '' AND renditions.state IN (?) AND assets.live = 1
       ${before === null ? '' : 'AND renditions.asset_id < ?'} ${assets === null ? '' : 'AND renditions.asset_id IN (?)'}
     ORDER BY renditions.asset_id DESC
     LIMIT ?`,
    [
      [...recipes],
      [...states],
      ...(before === null ? [] : [before]),
      ...(assets === null ? [] : [[...assets]]),
      limit + 1,
    ],
  );
  return rows.map(({ asset_id }) => asset_id);
}

/** Counts assets that have a main file in one of the states. */
export async function countAssetsByState(
  db: Executor,
  {
    recipes,
    states,
    assets,
  }: { recipes: readonly string[]; states: readonly RenditionState[]; assets: readonly string[] | null },
): Promise<number> {
  if (assets !== null && assets.length === 0) return 0;
  const [row] = await selectExpanded<{ n: number }>(
    db,
    `SELECT COUNT(DISTINCT renditions.asset_id) AS n
     FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     WHERE renditions.recipe IN (?) AND renditions.variant = '' AND renditions.state IN (?) AND assets.live = 1
       ${assets === null ? '' : 'AND renditions.asset_id IN (?)'}`,
    [[...recipes], [...states], ...(assets === null ? [] : [[...assets]])],
  );
  return Number(row?.n ?? 0);
}
