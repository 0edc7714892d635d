import { type CopyCondition, copyFilterField } from '@uniferum/core/copies';
import type { FilterJoint, SqlCondition } from '../library/joints.js';

const COPIES = 'SELECT 1 FROM placed_copies WHERE placed_copies.asset_id = assets.id';
const OF_ORIGINAL = "placed_copies.recipe = '' AND placed_copies.sha256 = assets.sha256";
const GOOD = `${COPIES} AND ${OF_ORIGINAL} AND placed_copies.state = 'stored'`;

const STATES: Record<Extract<CopyCondition, { state: string }>['state'], string> = {
  yes: `EXISTS (${GOOD})`,
  no: `NOT EXISTS (${GOOD})`,
  waiting: `EXISTS (${COPIES} AND placed_copies.state IN ('wanted', 'uploading'))`,
  damaged: `EXISTS (${COPIES} AND placed_copies.state = 'damaged')`,
};

/** Implements `copy:offsite` and `copy:no`. */
export const copyFilter: FilterJoint<CopyCondition> = {
  field: copyFilterField,
  toSql(condition): SqlCondition {
    if ('state' in condition) return { sql: STATES[condition.state], values: [] };
    return {
      sql: `EXISTS (${GOOD} AND placed_copies.store_id IN (SELECT stores.id FROM stores WHERE stores.name = ?))`,
      values: [condition.store],
    };
  },
  count: async () => null,
};
