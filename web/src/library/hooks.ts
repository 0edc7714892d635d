import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from '@tanstack/react-query';
import type { AssetPatch } from '@uniferum/client';
import type { AssetSort, Folder } from '@uniferum/core';
import { uniferum } from '../client.js';

const PAGE_ITEMS = 120;

/** All folders, in the order of their paths. */
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
  folder: string;
  deep: boolean;
  sort: AssetSort;
}

/** The assets of a folder, page by page. */
export function useAssets({ folder, deep, sort }: AssetListing) {
  return useInfiniteQuery({
    queryKey: ['assets', folder, deep, sort],
    placeholderData: keepPreviousData,
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam, signal }) =>
      await uniferum.assets.list(
        { folder, deep, sort, limit: PAGE_ITEMS, ...(pageParam && { cursor: pageParam }) },
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

export function useVersions(id: string) {
  return useQuery({
    queryKey: ['asset', id, 'versions'],
    queryFn: async () => (await uniferum.assets.versions(id)).items,
  });
}

/** Changes to the library, each of which refreshes what shows it. */
export function useLibraryChanges() {
  const queries = useQueryClient();
  const refresh = () => {
    for (const key of ['assets', 'asset', 'folders', 'rules', 'flow'])
      void queries.invalidateQueries({ queryKey: [key] });
  };
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
