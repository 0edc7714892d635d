import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { RebuildRequest } from '@uniferum/client';
import type { Recipe } from '@uniferum/core';
import { uniferum } from '../client.js';

/** All recipes with the states of their renditions. */
export function useRecipes() {
  return useQuery({ queryKey: ['recipes'], queryFn: async () => (await uniferum.recipes.list()).items });
}

/** What a rebuild would make; changes nothing. */
export function useRehearsal(request: RebuildRequest | null) {
  return useQuery({
    queryKey: ['rehearsal', request],
    enabled: request !== null,
    gcTime: 0,
    queryFn: () => uniferum.recipes.rehearseRebuild(request ?? { only: 'missing' }),
  });
}

export function useRecipeChanges() {
  const queries = useQueryClient();
  const refresh = () => {
    for (const key of ['recipes', 'runs', 'active-runs', 'flow', 'assets'])
      void queries.invalidateQueries({ queryKey: [key] });
  };
  return {
    make: useMutation({
      mutationFn: (recipe: Omit<Recipe, 'revision'>) => uniferum.recipes.make(recipe),
      onSuccess: refresh,
    }),
    put: useMutation({
      mutationFn: ({ name, ...recipe }: Omit<Recipe, 'revision'>) => uniferum.recipes.put(name, recipe),
      onSuccess: refresh,
    }),
    remove: useMutation({ mutationFn: (name: string) => uniferum.recipes.remove(name), onSuccess: refresh }),
    rebuild: useMutation({
      mutationFn: (request: RebuildRequest) => uniferum.recipes.rebuild(request),
      onSuccess: refresh,
    }),
  };
}
