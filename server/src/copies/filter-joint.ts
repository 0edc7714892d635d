import { type CopyCondition, copyFilterField } from '@uniferum/core/copies';
import { countFacet } from '../library/facet-queries.js';
import type { FilterJoint, SqlCondition } from '../library/joints.js';

const OF_ASSET = 'placed_copies.asset_id = assets.id';
const OF_ORIGINAL = "placed_copies.recipe = '' AND placed_copies.sha256 = assets.sha256";
const GOOD = `${OF_ASSET} AND ${OF_ORIGINAL} AND placed_copies.state = 'stored'`;
const anyOf = (condition: string) => `EXISTS (SELECT 1 FROM placed_copies WHERE ${condition})`;

const STATES: Record<Extract<CopyCondition, { state: string }>['state'], string> = {
  yes: anyOf(GOOD),
  no: `NOT ${anyOf(GOOD)}`,
  waiting: anyOf(`${OF_ASSET} AND placed_copies.state IN ('wanted', 'uploading')`),
  damaged: anyOf(`${OF_ASSET} AND placed_copies.state = 'damaged'`),
};

/** Implements `copy:offsite` and `copy:no`. */
export const copyFilter: FilterJoint<CopyCondition> = {
  field: copyFilterField,
  toSql(condition): SqlCondition {
    if ('state' in condition) return { sql: STATES[condition.state], values: [] };
    return {
      sql: `(EXISTS (SELECT 1 FROM placed_copies JOIN stores ON stores.id = placed_copies.store_id WHERE ${GOOD} AND stores.name = ?) OR EXISTS (SELECT 1 FROM copies WHERE copies.sha256 = assets.sha256 AND copies.store = ? AND copies.left_at IS NULL AND copies.damaged_at IS NULL))`,
      values: [condition.store, condition.store],
    };
  },
  // Kept for the home store only.
  count: async (db, condition) =>
    'store' in condition ? (await countFacet(db, 'copy', condition.store)) || null : null,
};
