import type { RenditionState } from '@uniferum/core/recipes';
import { insertSelectedItems } from '../runs/item-queries.js';
import {
  changeExpanded,
  type Executor,
  type SqlValue,
  select,
  selectExpanded,
  type Transaction,
  writeJson,
} from '../shared/database.js';

/** The scope of a rebuild. */
export interface RebuildSelection {
  recipes: readonly string[];
  states: readonly RenditionState[];
  /** Ids; null for the whole library. */
  assets: readonly string[] | null;
}

interface Condition {
  sql: string;
  values: (SqlValue | SqlValue[])[];
}

/** The condition on main files in `renditions` that a rebuild makes again. */
function conditionOf({ recipes, states }: RebuildSelection): Condition {
  return {
    sql: "renditions.recipe IN (?) AND renditions.variant = '' AND renditions.state IN (?)",
    values: [[...recipes], [...states]],
  };
}

export interface RebuildLine {
  asset_id: number;
  name: string;
  recipe: string;
  state: RenditionState;
}

/** The maximum number of ids bound at a time. */
const IDS_AT_A_TIME = 5000;

/** Lists the first renditions that a rebuild would make, and the total. */
export async function previewRebuild(
  db: Executor,
  selection: RebuildSelection,
  limit: number,
): Promise<{ rows: RebuildLine[]; total: number; assets: number; bytes: number }> {
  const condition = conditionOf(selection);
  const rows: RebuildLine[] = [];
  const sum = { total: 0, assets: 0, bytes: 0 };
  for (const part of partsOf(selection)) {
    const where = `${condition.sql} AND assets.live = 1 ${part ? 'AND assets.id IN (?)' : ''}`;
    const values = [...condition.values, ...(part ? [part] : [])];
    if (rows.length < limit)
      rows.push(
        ...(await selectExpanded<RebuildLine>(
          db,
          `SELECT renditions.asset_id, assets.name, renditions.recipe, renditions.state
           FROM renditions
           JOIN assets ON assets.id = renditions.asset_id
           WHERE ${where}
           ORDER BY renditions.asset_id, renditions.recipe
           LIMIT ?`,
          [...values, limit - rows.length],
        )),
      );
    const [counts] = await selectExpanded<{ total: number; assets: number; bytes: number | null }>(
      db,
      `SELECT COUNT(*) AS total, COUNT(DISTINCT renditions.asset_id) AS assets, SUM(renditions.bytes) AS bytes
       FROM renditions
       JOIN assets ON assets.id = renditions.asset_id
       WHERE ${where}`,
      values,
    );
    sum.total += Number(counts?.total ?? 0);
    sum.assets += Number(counts?.assets ?? 0);
    sum.bytes += Number(counts?.bytes ?? 0);
  }
  return { rows, ...sum };
}

/** Writes a run's items, one for each asset in a rebuild: one statement for the whole library. */
export async function insertRebuildItems(
  tx: Transaction,
  runId: string,
  selection: RebuildSelection,
  input: { recipes: readonly string[] | null; states: readonly RenditionState[] },
): Promise<void> {
  const condition = conditionOf(selection);
  for (const part of partsOf(selection))
    await insertSelectedItems(tx, runId, {
      sql: `SELECT CONCAT('asset:', assets.id) AS item_key, assets.name AS title,
              JSON_OBJECT('asset', CAST(assets.id AS CHAR), 'recipes', JSON_EXTRACT(?, '$'), 'states', JSON_EXTRACT(?, '$')) AS input
       FROM (SELECT DISTINCT renditions.asset_id FROM renditions WHERE ${condition.sql} ${part ? 'AND renditions.asset_id IN (?)' : ''}) AS wanted
       JOIN assets ON assets.id = wanted.asset_id
       WHERE assets.live = 1
       ORDER BY assets.id`,
      values: [
        writeJson(input.recipes),
        writeJson(input.states),
        ...condition.values,
        ...(part ? [part] : []),
      ],
    });
}

/** Marks fresh renditions as outdated, so that a rebuild makes them again. */
export async function markForRebuild(tx: Transaction, { recipes, assets }: RebuildSelection): Promise<void> {
  for (const part of partsOf({ assets }))
    await changeExpanded(
      tx,
      `UPDATE renditions SET state = 'outdated', updated_at = NOW(3)
       WHERE recipe IN (?) AND state = 'fresh' ${part ? 'AND asset_id IN (?)' : ''}`,
      [[...recipes], ...(part ? [part] : [])],
    );
}

/** Null for the whole library, otherwise the ids in chunks that can be bound. */
function partsOf({ assets }: Pick<RebuildSelection, 'assets'>): (string[] | null)[] {
  if (assets === null) return [null];
  const parts: string[][] = [];
  for (let at = 0; at < assets.length; at += IDS_AT_A_TIME) parts.push(assets.slice(at, at + IDS_AT_A_TIME));
  return parts;
}

/** Measurements of a rendition and of its source. */
export interface MeasuredRow {
  width: number;
  height: number;
  bytes: number;
  work_ms: number | null;
  source_width: number | null;
  source_height: number | null;
}

/** Reads measurements of a recipe's most recent main files. */
export async function listMeasured(db: Executor, recipe: string, limit: number): Promise<MeasuredRow[]> {
  return select<MeasuredRow>(
    db,
    `SELECT renditions.width, renditions.height, renditions.bytes, renditions.work_ms,
            assets.width AS source_width, assets.height AS source_height
     FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     WHERE renditions.recipe = ? AND renditions.variant = '' AND renditions.state IN ('fresh', 'outdated')
       AND renditions.bytes IS NOT NULL AND assets.live = 1
     ORDER BY renditions.asset_id DESC
     LIMIT ?`,
    [recipe, limit],
  );
}
