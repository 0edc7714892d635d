import type { Flow } from '@uniferum/core/flow';
import { RENDITION_STATES } from '@uniferum/core/recipes';

export interface Box {
  id: string;
  x: number;
  y: number;
  width: number;
  height: number;
}

/** A stream between two boxes: its centre line and width. */
export interface Stream {
  id: string;
  path: string;
  breadth: number;
  tone: 'steel' | 'fault' | 'oxide';
  /** Items are moving through it now. */
  isFlowing: boolean;
}

/** The maximum number of recipes shown; if there are more, the last box counts the rest. */
export const MAX_DRAWN_RECIPES = 7;
/** The name of the box that counts the rest. No recipe can have it. */
export const REST = '+';

export type FlowRecipe = Flow['recipes'][number];

/** The recipes shown, those with the most files first, and the total of the others. */
export function drawnRecipes(recipes: readonly FlowRecipe[]): FlowRecipe[] {
  const sorted = [...recipes].sort((a, b) => filesOf(b) - filesOf(a));
  if (sorted.length <= MAX_DRAWN_RECIPES) return sorted;
  const rest = sorted.slice(MAX_DRAWN_RECIPES - 1);
  const states = Object.fromEntries(
    RENDITION_STATES.map((state) => [state, rest.reduce((sum, recipe) => sum + recipe.states[state], 0)]),
  ) as FlowRecipe['states'];
  const bytes = rest.reduce((sum, one) => sum + one.bytes, 0);
  return [
    ...sorted.slice(0, MAX_DRAWN_RECIPES - 1),
    { name: REST, title: `${rest.length} more`, states, bytes },
  ];
}

function filesOf({ states }: FlowRecipe): number {
  return states.fresh + states.due + states.outdated + states.failed;
}

export function sum(values: readonly number[]): number {
  return values.reduce((total, value) => total + value, 0);
}
