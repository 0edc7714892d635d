import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query';
import type { SaveCall, SitePagePatch } from '@uniferum/client';
import type { PageTypeAnswer } from '@uniferum/core/pages';
import { uniferum } from '../client.js';
import { useAction } from '../ui/use-action.js';

/** The pages that are kept here, by path. */
export function useSitePages(q: string) {
  return useInfiniteQuery({
    queryKey: ['pages', q],
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam }) =>
      uniferum.pages.list({ limit: 100, ...(q !== '' && { q }), ...(pageParam && { cursor: pageParam }) }),
    getNextPageParam: (page) => page.next ?? undefined,
  });
}

export function usePageTypes() {
  return useQuery({
    queryKey: ['page-types'],
    queryFn: async () => (await uniferum.pageTypes.list()).items,
  });
}

/** A page as it was when it was opened for writing. What others save meanwhile is told when it is saved. */
export function useOpenedPage(id: string) {
  return useQuery({
    queryKey: ['opened', 'page', id],
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    queryFn: () => uniferum.pages.getTagged(id),
  });
}

/** Who else edits a page; says every 20 seconds that this person does. */
export function useOtherEditors(id: string) {
  return useQuery({
    queryKey: ['page-editors', id],
    queryFn: () => uniferum.pages.editing(id, true),
    refetchInterval: 20_000,
  });
}

export function useRevisions(id: string) {
  return useQuery({
    queryKey: ['page-revisions', id],
    staleTime: 0,
    queryFn: async () => (await uniferum.pages.revisions(id, { limit: 100 })).items,
  });
}

export function useRevision(id: string, revision: number | null) {
  return useQuery({
    queryKey: ['page-revision', id, revision],
    enabled: revision !== null,
    queryFn: () => uniferum.pages.revision(id, revision ?? 0),
  });
}

export function usePageTypeChanges() {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ['page-types'] });
  return {
    put: useAction((type: PageTypeAnswer, call) => uniferum.pageTypes.put(type, call), {
      onSuccess: refresh,
    }),
    remove: useAction((name: string, call) => uniferum.pageTypes.remove(name, call), { onSuccess: refresh }),
  };
}

export function usePageChanges() {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ['pages'] });
  return {
    add: useAction((page: SitePagePatch & { title: string }, call) => uniferum.pages.add(page, call), {
      onSuccess: refresh,
    }),
    save: useAction(
      ({ id, patch, options }: { id: string; patch: SitePagePatch; options: SaveCall }, call) =>
        uniferum.pages.changeTagged(id, patch, { ...options, ...call }),
      { onSuccess: refresh },
    ),
    remove: useAction((id: string, call) => uniferum.pages.remove(id, call), { onSuccess: refresh }),
  };
}
