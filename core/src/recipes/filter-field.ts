import { defineFilterField } from '../library/filter.js';
import { chooseWord, FilterFault, valuePlace } from '../library/filter-fault.js';
import { RENDITION_STATES, type RenditionState } from './recipe.js';

/** The requested renditions: of a recipe, in one state or any. */
export interface RecipeCondition {
  name: string;
  state: RenditionState | null;
}

/** The field `recipe:wide=failed`. */
export const recipeFilterField = defineFilterField<RecipeCondition>({
  name: 'recipe',
  hint: 'has a rendition',
  example: 'recipe:wide=failed',
  read(term) {
    const [name = '', state] = term.value.split('=');
    if (!/^[a-z0-9-]+$/i.test(name))
      throw new FilterFault(`"${name}" is not a valid recipe name`, valuePlace(term), 'wide');
    return {
      name: name.toLowerCase(),
      state:
        state === undefined
          ? null
          : (chooseWord(term, state, RENDITION_STATES, `${name}=`) as RenditionState),
    };
  },
  propose: (begun, { recipes = [] }) =>
    begun.includes('=')
      ? RENDITION_STATES.map((state) => `${begun.slice(0, begun.indexOf('='))}=${state}`)
      : recipes,
});
