import { keepPreviousData, useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query';
import type { OptimiseRequest, RebuildRequest, SurplusRequest } from '@uniferum/client';
import type { PortableRecipe, RecipesDocument, RenditionState, Step } from '@uniferum/core/recipes';
import { uniferum } from '../client.js';
import { useAction } from '../ui/use-action.js';

/** All recipes with the states of their renditions. */
export function useRecipes() {
  return useQuery({ queryKey: ['recipes'], queryFn: async () => (await uniferum.recipes.list()).items });
}

/** One recipe; null requests none. */
export function useRecipe(name: string | null) {
  return useQuery({
    queryKey: ['recipes', name],
    enabled: name !== null,
    queryFn: () => uniferum.recipes.get(name ?? ''),
  });
}

/** A recipe as it was when its editor was opened, with its entity tag; null requests none. */
export function useOpenedRecipe(name: string | null) {
  return useQuery({
    queryKey: ['opened', 'recipe', name],
    enabled: name !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    queryFn: () => uniferum.recipes.getTagged(name ?? ''),
  });
}

export function useRevisions(name: string | null) {
  return useQuery({
    queryKey: ['recipes', name, 'revisions'],
    enabled: name !== null,
    queryFn: async () => (await uniferum.recipes.revisions(name ?? '')).items,
  });
}

/** A rebuild's rehearsal. */
export function useRehearsal(request: RebuildRequest | null) {
  return useQuery({
    queryKey: ['rehearsal', request],
    enabled: request !== null,
    gcTime: 0,
    placeholderData: keepPreviousData,
    queryFn: () => uniferum.recipes.rehearseRebuild(request ?? { only: 'missing' }),
  });
}

/** The impact of saving a recipe; null requests nothing. */
export function useImpact(recipe: PortableRecipe | null, isNew: boolean) {
  return useQuery({
    queryKey: ['impact', isNew, recipe],
    enabled: recipe !== null,
    gcTime: 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const { name, ...rest } = recipe as PortableRecipe;
      const answer = isNew
        ? await uniferum.recipes.rehearseMake({ name, ...rest }, { signal })
        : await uniferum.recipes.rehearsePut(name, rest, { signal });
      return answer.plan;
    },
  });
}

/** A preview of a chain on an asset; superseded requests are cancelled. */
export function usePreview(
  request: { asset: string; steps: Step[]; output: PortableRecipe['output'] } | null,
) {
  return useQuery({
    queryKey: ['preview', request],
    enabled: request !== null,
    retry: false,
    gcTime: 60_000,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => uniferum.recipes.preview(request as NonNullable<typeof request>, { signal }),
  });
}

/** Files on which a recipe can be tried. */
export function useSamples(q: string) {
  return useQuery({
    queryKey: ['samples', q],
    placeholderData: keepPreviousData,
    queryFn: async () => (await uniferum.assets.list({ q, deep: true, sort: '-created', limit: 40 })).items,
  });
}

export interface MatrixFilter {
  q: string;
  state?: RenditionState;
}

/** Assets × recipes, page by page. */
export function useMatrix({ q, state }: MatrixFilter) {
  return useInfiniteQuery({
    queryKey: ['matrix', q, state],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) =>
      uniferum.recipes.matrix({
        q,
        limit: 60,
        ...(state && { state }),
        ...(pageParam && { cursor: pageParam }),
      }),
    placeholderData: keepPreviousData,
    getNextPageParam: (page) => page.next ?? undefined,
  });
}

/** Why a rendition is in its state. */
export function useStory(asset: string, recipe: string) {
  return useQuery({
    queryKey: ['story', asset, recipe],
    gcTime: 0,
    queryFn: () => uniferum.renditions.explain(asset, recipe),
  });
}

export function useSurplus(unaskedDays: number | null) {
  return useInfiniteQuery({
    queryKey: ['surplus', unaskedDays],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) =>
      uniferum.renditions.surplus({
        limit: 100,
        ...(unaskedDays !== null && { unaskedDays }),
        ...(pageParam && { cursor: pageParam }),
      }),
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  });
}

/** A rehearsal of deleting surplus renditions. */
export function useRemovalRehearsal(request: SurplusRequest) {
  return useQuery({
    queryKey: ['removal', request],
    gcTime: 0,
    queryFn: async () => (await uniferum.renditions.rehearseRemoval(request)).plan,
  });
}

/** A rehearsal of optimising. */
export function useOptimiseRehearsal(request: OptimiseRequest) {
  return useQuery({
    queryKey: ['optimise', request],
    gcTime: 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () => (await uniferum.renditions.rehearseOptimise(request)).plan,
  });
}

export function useOptimised() {
  return useQuery({ queryKey: ['optimised'], queryFn: () => uniferum.renditions.optimised() });
}

export function useRecipeChanges() {
  const queries = useQueryClient();
  const refresh = () => {
    for (const key of ['recipes', 'runs', 'active-runs', 'flow', 'assets', 'matrix', 'surplus', 'optimised'])
      void queries.invalidateQueries({ queryKey: [key] });
  };
  return {
    make: useAction((recipe: PortableRecipe, call) => uniferum.recipes.make(recipe, call), {
      onSuccess: refresh,
    }),
    put: useAction(
      ({ recipe: { name, ...recipe }, ifMatch }: { recipe: PortableRecipe; ifMatch: string }, call) =>
        uniferum.recipes.put(name, recipe, { ...call, ifMatch }),
      { onSuccess: refresh },
    ),
    remove: useAction((name: string, call) => uniferum.recipes.remove(name, call), { onSuccess: refresh }),
    importAll: useAction((recipes: RecipesDocument, call) => uniferum.recipes.import(recipes, call), {
      onSuccess: refresh,
    }),
    rebuild: useAction((request: RebuildRequest, call) => uniferum.recipes.rebuild(request, call), {
      onSuccess: refresh,
    }),
    removeSurplus: useAction(
      (request: SurplusRequest, call) => uniferum.renditions.removeSurplus(request, call),
      { onSuccess: refresh },
    ),
    optimise: useAction((request: OptimiseRequest, call) => uniferum.renditions.optimise(request, call), {
      onSuccess: refresh,
    }),
  };
}
