import {
  keepPreviousData,
  useInfiniteQuery,
  useQueries,
  useQuery,
  useQueryClient,
} from '@tanstack/react-query';
import type { AssetPatch, AssetSelection, BulkActionRequest, BulkRequest } from '@uniferum/client';
import type { Asset, AssetSort, FilterVocabulary, Folder } from '@uniferum/core/library';
import { createContext, useContext, useMemo } from 'react';
import { uniferum } from '../client.js';
import { useComposition } from '../console/composition.js';
import { type Edit, saveMerged } from '../ui/save-merged.js';
import { useAction } from '../ui/use-action.js';

const PAGE_ITEMS = 120;

/** The folder that is shown as the root: a token may be limited to a part of the library. */
export const LibraryRoot = createContext('/');

/** All folders in path order. */
export function useFolders() {
  const within = useContext(LibraryRoot);
  return useQuery({
    queryKey: ['folders'],
    queryFn: async (): Promise<Folder[]> => {
      const folders: Folder[] = [];
      for await (const folder of uniferum.folders.list({ within, limit: 5000 })) folders.push(folder);
      return folders;
    },
  });
}

export interface AssetListing {
  q: string;
  folder: string;
  deep: boolean;
  sort: AssetSort;
}

/** The assets of a folder, page by page. */
export function useAssets({ q, folder, deep, sort }: AssetListing) {
  return useInfiniteQuery({
    queryKey: ['assets', q, folder, deep, sort],
    retry: false,
    placeholderData: keepPreviousData,
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam, signal }) =>
      await uniferum.assets.list(
        { q, folder, deep, sort, limit: PAGE_ITEMS, ...(pageParam && { cursor: pageParam }) },
        { signal },
      ),
    getNextPageParam: ({ next }) => next ?? undefined,
  });
}

export function useAsset(id: string | null) {
  return useQuery({
    queryKey: ['asset', id],
    enabled: id !== null,
    placeholderData: keepPreviousData,
    queryFn: () => uniferum.assets.get(id ?? ''),
  });
}

/**
 * An asset as it was when a form for it was opened. What others save meanwhile does not change it: that is merged when
 * the form is saved.
 */
export function useOpenedAsset(id: string) {
  return useQuery({
    queryKey: ['opened', 'asset', id],
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    queryFn: () => uniferum.assets.getTagged(id),
  });
}

interface AssetForm<Fields> {
  toFields: (asset: Asset) => Fields;
  /** Only the fields that differ. */
  toPatch: (before: Fields, mine: Fields) => AssetPatch;
}

/** Saves an edit of an asset, merged with what others have saved meanwhile. */
export function useSaveAsset<Fields extends object>(id: string, { toFields, toPatch }: AssetForm<Fields>) {
  const refresh = useRefreshLibrary();
  return useAction(
    (edit: Edit<Fields>) =>
      saveMerged(edit, {
        read: async () => {
          const { value, etag } = await uniferum.assets.getTagged(id);
          return { value: toFields(value), etag };
        },
        write: async ({ base, mine }) => {
          const patch = toPatch(base.value, mine);
          if (Object.keys(patch).length > 0) await uniferum.assets.change(id, patch, { ifMatch: base.etag });
        },
      }),
    { onSuccess: refresh },
  );
}

export function useVersions(id: string) {
  return useQuery({
    queryKey: ['asset', id, 'versions'],
    queryFn: async () => (await uniferum.assets.versions(id)).items,
  });
}

function useRefreshLibrary() {
  const queries = useQueryClient();
  return () => {
    for (const key of ['assets', 'asset', 'folders', 'rules', 'flow', 'bin', 'duplicates', 'facets'])
      void queries.invalidateQueries({ queryKey: [key] });
  };
}

/** Changes to the library, each of which refreshes the affected queries. */
export function useLibraryChanges() {
  const refresh = useRefreshLibrary();
  return {
    changeAsset: useAction(
      ({ id, patch }: { id: string; patch: AssetPatch }, call) => uniferum.assets.change(id, patch, call),
      { onSuccess: refresh },
    ),
    removeAsset: useAction(
      ({ id, force }: { id: string; force: boolean }, call) =>
        uniferum.assets.remove(id, { ...call, ...(force && { force }) }),
      { onSuccess: refresh },
    ),
    restoreAsset: useAction((id: string, call) => uniferum.assets.restore(id, call), { onSuccess: refresh }),
    replaceAsset: useAction(
      ({ id, file }: { id: string; file: File }, call) => uniferum.assets.replace(id, file, call),
      { onSuccess: refresh },
    ),
    restoreVersion: useAction(
      ({ id, n }: { id: string; n: number }, call) => uniferum.assets.restoreVersion(id, n, call),
      { onSuccess: refresh },
    ),
    emptyBin: useAction((_: undefined, call) => uniferum.bin.empty({}, call), { onSuccess: refresh }),
    makeFolder: useAction((path: string, call) => uniferum.folders.make(path, call), { onSuccess: refresh }),
    changeFolder: useAction(
      ({ id, patch }: { id: string; patch: { name?: string; parent?: string } }, call) =>
        uniferum.folders.change(id, patch, call),
      { onSuccess: refresh },
    ),
    removeFolder: useAction((id: string, call) => uniferum.folders.remove(id, call), { onSuccess: refresh }),
  };
}

/** The results counted by facets. */
export function useFacets(search: { q: string; folder: string; deep: boolean }) {
  return useQuery({
    queryKey: ['assets', 'facets', search.q, search.folder, search.deep],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) => uniferum.assets.facets(search, { signal }),
  });
}

/** Values that can be used in a filter: those of the library, and while somebody types, those of other rooms. */
export function useVocabulary({ isTyping }: { isTyping: boolean }): FilterVocabulary {
  const { filterWords } = useComposition();
  const { data: folders } = useFolders();
  const { data: facets } = useFacets({ q: '', folder: '/', deep: true });
  const { data: recipes } = useQuery({
    queryKey: ['recipes', 'names'],
    queryFn: async () => (await uniferum.recipes.list()).items.map(({ name }) => name),
  });
  const plugged = useQueries({
    queries: filterWords.map(([, words]) => ({ ...words, enabled: isTyping })),
    combine: (results) => results.map(({ data = [] }) => data),
  });
  return useMemo(
    () => ({
      folders: folders?.map(({ path }) => path) ?? [],
      recipes: recipes ?? [],
      keywords: facets?.keywords.map(({ name }) => name) ?? [],
      credits: facets?.credits.map(({ name }) => name) ?? [],
      types: facets?.types.map(({ name }) => name) ?? [],
      ...Object.fromEntries(filterWords.map(([name], index) => [name, plugged[index] ?? []])),
    }),
    [folders, facets, recipes, filterWords, plugged],
  );
}

export function useSavedFilters() {
  return useQuery({
    queryKey: ['filters'],
    queryFn: async () => (await uniferum.filters.list()).items,
  });
}

export function useSavedFilterChanges() {
  const queries = useQueryClient();
  const onSuccess = () => void queries.invalidateQueries({ queryKey: ['filters'] });
  return {
    save: useAction((filter: { name: string; q: string }, call) => uniferum.filters.save(filter, call), {
      onSuccess,
    }),
    remove: useAction((id: string, call) => uniferum.filters.remove(id, call), { onSuccess }),
  };
}

/** Jobs over a whole selection. */
export function useBulkChanges() {
  const queries = useQueryClient();
  const onSuccess = () => {
    for (const key of ['runs', 'active-runs', 'assets', 'duplicates'])
      void queries.invalidateQueries({ queryKey: [key] });
  };
  return {
    rehearse: useAction((request: BulkRequest, call) => uniferum.assets.rehearseEdit(request, call)),
    edit: useAction((request: BulkRequest, call) => uniferum.assets.edit(request, call), { onSuccess }),
    act: useAction((request: BulkActionRequest, call) => uniferum.assets.act(request, call), { onSuccess }),
  };
}

/** Which assets of a selection would stay where they are, and why. */
export function useBinRehearsal(select: AssetSelection) {
  return useQuery({
    queryKey: ['bin-rehearsal', select],
    queryFn: async () => (await uniferum.assets.rehearseAct({ select, action: 'bin' })).plan,
    staleTime: 0,
  });
}

/** The bin, most recently deleted first. */
export function useBin() {
  return useInfiniteQuery({
    queryKey: ['bin'],
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam }) =>
      await uniferum.bin.list({ limit: 100, ...(pageParam && { cursor: pageParam }) }),
    getNextPageParam: ({ next }) => next ?? undefined,
  });
}

/** Groups of assets with the same bytes, or of similar pictures. */
export function useDuplicates(by: 'bytes' | 'look', distance: number) {
  return useQuery({
    queryKey: ['duplicates', by, by === 'look' ? distance : null],
    placeholderData: keepPreviousData,
    queryFn: () => uniferum.assets.duplicates({ by, distance }),
  });
}
