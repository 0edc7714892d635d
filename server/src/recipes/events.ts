import { defineEvent } from '../events/event-type.js';

export const recipeChanged = defineEvent('recipe.changed', 'recipes:read');
export const recipeDeleted = defineEvent('recipe.deleted', 'recipes:read');
export const renditionsChanged = defineEvent('asset.renditions', 'library:read');
