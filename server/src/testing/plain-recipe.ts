import type { Recipe } from '@uniferum/core/recipes';

/** A recipe with the given steps only, as PNG unless told otherwise. */
export function plainRecipe(
  steps: Recipe['steps'],
  output: Partial<Recipe['output']> = {},
  more: Partial<Recipe> = {},
): Recipe {
  return {
    name: 'one',
    title: 'One',
    kinds: ['image'],
    folders: [],
    when: 'background',
    steps,
    output: { format: 'png', quality: 80, metadata: 'none', ...output },
    revision: 1,
    ...more,
  };
}
