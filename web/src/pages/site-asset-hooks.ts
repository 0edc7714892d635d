import { useQuery, useQueryClient } from '@tanstack/react-query';
import type { NewSiteAssets } from '@uniferum/client';
import { uniferum } from '../client.js';
import { useAction } from '../ui/use-action.js';

export function useSiteAssets() {
  return useQuery({
    queryKey: ['site-assets'],
    queryFn: async () => (await uniferum.siteAssets.list()).items,
  });
}

/** What placing a folder as it is now would do. */
export function useReleasePlan(id: string) {
  return useQuery({
    queryKey: ['release-plan', id],
    queryFn: async () => (await uniferum.siteAssets.rehearsePlace(id)).plan,
    staleTime: 0,
  });
}

export function useSiteAssetChanges() {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ['site-assets'] });
  return {
    add: useAction((assets: NewSiteAssets, call) => uniferum.siteAssets.add(assets, call), {
      onSuccess: refresh,
    }),
    change: useAction(
      ({ id, ...patch }: { id: string; rewritePages: boolean }, call) =>
        uniferum.siteAssets.change(id, patch, call),
      { onSuccess: refresh },
    ),
    place: useAction((id: string, call) => uniferum.siteAssets.place(id, call), {
      onSuccess: () => queries.invalidateQueries({ queryKey: ['runs'] }),
    }),
    remove: useAction((id: string, call) => uniferum.siteAssets.remove(id, call), { onSuccess: refresh }),
  };
}
