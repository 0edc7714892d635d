import { recipeFilterField } from '@uniferum/core/recipes';
import { lazy } from 'react';
import type { Station } from '../console/station.js';

export const recipesStation: Station = {
  room: 'recipes',
  place: { name: 'Recipes', path: '/recipes', key: 'r', order: 40 },
  routes: [
    { path: 'recipes', lazy: async () => ({ Component: (await import('./recipes-page.js')).RecipesPage }) },
    {
      path: 'recipes/matrix',
      lazy: async () => ({ Component: (await import('./matrix-page.js')).MatrixPage }),
    },
    {
      path: 'recipes/surplus',
      lazy: async () => ({ Component: (await import('./surplus-page.js')).SurplusPage }),
    },
    {
      path: 'recipes/originals',
      lazy: async () => ({ Component: (await import('./originals-page.js')).OriginalsPage }),
    },
    { path: 'recipes/new', lazy: async () => ({ Component: (await import('./editor-page.js')).EditorPage }) },
    {
      path: 'recipes/:name',
      lazy: async () => ({ Component: (await import('./editor-page.js')).EditorPage }),
    },
  ],
  stale: {
    'asset.renditions': ['assets', 'asset', 'recipes'],
    'recipe.changed': ['recipes', 'assets'],
    'recipe.deleted': ['recipes', 'assets'],
    'run.ended': ['recipes'],
  },
  stages: [
    {
      name: 'Renditions',
      order: 50,
      width: 'w-[23rem]',
      Content: lazy(async () => ({ default: (await import('./rendition-stage.js')).RenditionStage })),
    },
  ],
  filterFields: [recipeFilterField],
  runKinds: {
    renditions: 'Renditions',
    'renditions-soon': 'Urgent renditions',
    'recipe-apply': 'Recipe changes',
    optimise: 'Optimisations',
    'surplus-remove': 'Surplus deletions',
    'surplus-restore': 'Restores of surplus',
  },
};
