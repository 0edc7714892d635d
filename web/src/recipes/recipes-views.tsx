import { ViewLinks } from '../ui/view-links.js';
import { useRecipes, useSurplus } from './hooks.js';

/** The views of the recipes station. */
export function RecipesViews() {
  const { data: recipes } = useRecipes();
  const { data: surplus } = useSurplus(null);
  return (
    <ViewLinks
      label="Views of the recipes"
      views={[
        { to: '/recipes', name: 'Recipes', count: recipes?.length },
        { to: '/recipes/matrix', name: 'Files × recipes' },
        { to: '/recipes/surplus', name: 'Surplus', count: surplus?.pages[0]?.total },
        { to: '/recipes/originals', name: 'Originals' },
      ]}
    />
  );
}
