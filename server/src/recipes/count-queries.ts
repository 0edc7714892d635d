import { type CountCheck, counterCheck } from '../shared/count-checks.js';

/** The stored counters of renditions. */
export const RENDITION_COUNTS: readonly CountCheck[] = [
  // Main files count as renditions; the bytes of all sizes and formats are included.
  counterCheck(
    'recipes',
    "scope LIKE 'recipe:%'",
    `SELECT CONCAT('recipe:', renditions.recipe, ' ', renditions.state) AS what,
            SUM(renditions.variant = '') AS items, SUM(COALESCE(renditions.bytes, 0)) AS bytes
     FROM renditions JOIN assets ON assets.id = renditions.asset_id
     WHERE assets.live = 1
     GROUP BY renditions.recipe, renditions.state`,
  ),
];
