import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query';
import type { FixRequest, NewPageSource } from '@uniferum/client';
import { uniferum } from '../client.js';
import { useAction } from '../ui/use-action.js';

export function useSources() {
  return useQuery({ queryKey: ['sources'], queryFn: async () => (await uniferum.sources.list()).items });
}

/** The broken references of a source, or of all. */
export function useBroken(source: string | null) {
  return useInfiniteQuery({
    queryKey: ['references', source],
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam }) =>
      uniferum.references.list({
        limit: 100,
        ...(source !== null && { source }),
        ...(pageParam && { cursor: pageParam }),
      }),
    getNextPageParam: (page) => page.next ?? undefined,
  });
}

/** The first places where an asset is used. */
export function useUses(asset: string, isEnabled: boolean) {
  return useQuery({
    queryKey: ['uses', asset],
    enabled: isEnabled,
    queryFn: async () => uniferum.references.usesOf(asset, { limit: 50 }),
  });
}

/** What fixing broken references would change. */
export function useFixRehearsal(request: FixRequest) {
  return useQuery({
    queryKey: ['fix-rehearsal', request],
    queryFn: async () => (await uniferum.references.rehearseFix(request)).plan,
    staleTime: 0,
  });
}

export function useFix() {
  const queries = useQueryClient();
  return useAction((request: FixRequest, call) => uniferum.references.fix(request, call), {
    onSuccess: () => queries.invalidateQueries({ queryKey: ['runs'] }),
  });
}

export function useSourceChanges() {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ['sources'] });
  return {
    add: useAction((source: NewPageSource, call) => uniferum.sources.add(source, call), {
      onSuccess: refresh,
    }),
    remove: useAction((id: string, call) => uniferum.sources.remove(id, call), { onSuccess: refresh }),
    test: useAction((id: string, call) => uniferum.sources.test(id, call)),
    index: useAction((id: string, call) => uniferum.sources.index(id, call), {
      onSuccess: () => queries.invalidateQueries({ queryKey: ['runs'] }),
    }),
  };
}
