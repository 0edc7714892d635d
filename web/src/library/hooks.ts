import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from '@tanstack/react-query';
import type { AssetPatch, AssetSelection, BulkRequest } from '@uniferum/client';
import type { Asset, AssetSort, FilterVocabulary, Folder } from '@uniferum/core/library';
import { useMemo } from 'react';
import { uniferum } from '../client.js';
import { type Edit, saveMerged } from '../ui/save-merged.js';

const PAGE_ITEMS = 120;

/** All folders in path order. */
export function useFolders() {
  return useQuery({
    queryKey: ['folders'],
    queryFn: async (): Promise<Folder[]> => {
      const folders: Folder[] = [];
      for await (const folder of uniferum.folders.list({ limit: 5000 })) folders.push(folder);
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
  return useMutation({
    mutationFn: (edit: Edit<Fields>) =>
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
    onSuccess: refresh,
  });
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
    changeAsset: useMutation({
      mutationFn: ({ id, patch }: { id: string; patch: AssetPatch }) => uniferum.assets.change(id, patch),
      onSuccess: refresh,
    }),
    removeAsset: useMutation({ mutationFn: (id: string) => uniferum.assets.remove(id), onSuccess: refresh }),
    restoreAsset: useMutation({
      mutationFn: (id: string) => uniferum.assets.restore(id),
      onSuccess: refresh,
    }),
    replaceAsset: useMutation({
      mutationFn: ({ id, file }: { id: string; file: File }) => uniferum.assets.replace(id, file),
      onSuccess: refresh,
    }),
    restoreVersion: useMutation({
      mutationFn: ({ id, n }: { id: string; n: number }) => uniferum.assets.restoreVersion(id, n),
      onSuccess: refresh,
    }),
    emptyBin: useMutation({ mutationFn: () => uniferum.bin.empty(), onSuccess: refresh }),
    makeFolder: useMutation({
      mutationFn: (path: string) => uniferum.folders.make(path),
      onSuccess: refresh,
    }),
    changeFolder: useMutation({
      mutationFn: ({ id, patch }: { id: string; patch: { name?: string; parent?: string } }) =>
        uniferum.folders.change(id, patch),
      onSuccess: refresh,
    }),
    removeFolder: useMutation({
      mutationFn: (id: string) => uniferum.folders.remove(id),
      onSuccess: refresh,
    }),
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

/** Values of the library that can be used in a filter. */
export function useVocabulary(): FilterVocabulary {
  const { data: folders } = useFolders();
  const { data: facets } = useFacets({ q: '', folder: '/', deep: true });
  const { data: recipes } = useQuery({
    queryKey: ['recipes', 'names'],
    queryFn: async () => (await uniferum.recipes.list()).items.map(({ name }) => name),
  });
  return useMemo(
    () => ({
      folders: folders?.map(({ path }) => path) ?? [],
      recipes: recipes ?? [],
      stores: ['server', 'inbox'],
      keywords: facets?.keywords.map(({ name }) => name) ?? [],
      credits: facets?.credits.map(({ name }) => name) ?? [],
      types: facets?.types.map(({ name }) => name) ?? [],
    }),
    [folders, facets, recipes],
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
    save: useMutation({
      mutationFn: (filter: { name: string; q: string }) => uniferum.filters.save(filter),
      onSuccess,
    }),
    remove: useMutation({ mutationFn: (id: string) => uniferum.filters.remove(id), onSuccess }),
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
    rehearse: useMutation({ mutationFn: (request: BulkRequest) => uniferum.assets.rehearseEdit(request) }),
    edit: useMutation({ mutationFn: (request: BulkRequest) => uniferum.assets.edit(request), onSuccess }),
    act: useMutation({
      mutationFn: (request: { select: AssetSelection; action: 'bin' | 'restore' | 'purge' }) =>
        uniferum.assets.act(request),
      onSuccess,
    }),
  };
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
