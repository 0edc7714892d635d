import { type RecipeCondition, recipeFilterField } from '@uniferum/core/recipes';
import type { FilterJoint } from '../library/joints.js';
import { sumCounters } from '../shared/counters.js';

/** Implements `recipe:wide=failed`. */
export const recipeFilter: FilterJoint<RecipeCondition> = {
  field: recipeFilterField,
  toSql: ({ name, state }) => ({
    sql: `EXISTS (SELECT 1 FROM renditions WHERE renditions.asset_id = assets.id AND renditions.recipe = ? AND renditions.variant = ''${state ? ' AND renditions.state = ?' : ''})`,
    values: state ? [name, state] : [name],
  }),
  driver: ({ name, state }) => ({
    from: 'renditions AS driver FORCE INDEX (renditions_in_recipe) STRAIGHT_JOIN assets ON assets.id = driver.asset_id',
    where: {
      sql: `driver.recipe = ? AND driver.variant = ''${state ? ' AND driver.state = ?' : ''}`,
      values: state ? [name, state] : [name],
    },
    isComplete: true,
  }),
  count: (db, { name, state }) => sumCounters(db, `recipe:${name}`, state),
};
