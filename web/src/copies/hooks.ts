import {
  keepPreviousData,
  useInfiniteQuery,
  useQueries,
  useQuery,
  useQueryClient,
} from '@tanstack/react-query';
import type { AuditMode, AuditReason, CopyChange, GivenPlacement, NewStore } from '@uniferum/client';
import type { HistoryDays, StoreAnswer } from '@uniferum/core/copies';
import { uniferum } from '../client.js';
import { useAction } from '../ui/use-action.js';

/** All stores with their counts: the home store first. */
export function useStores() {
  return useQuery({ queryKey: ['stores'], queryFn: async () => (await uniferum.stores.list()).items });
}

/** The history of all stores over some days, as far as it has arrived. */
export function useStoreHistories(stores: readonly StoreAnswer[], days: HistoryDays) {
  const results = useQueries({
    queries: stores.map(({ id }) => ({
      queryKey: ['store-history', id, days],
      queryFn: async () => uniferum.stores.history(id, days),
      refetchInterval: HISTORY_EVERY_MS,
    })),
  });
  return {
    histories: results.flatMap(({ data }, n) =>
      data ? [{ name: stores[n]?.name ?? '', history: data }] : [],
    ),
    error: results.find(({ error }) => error !== null)?.error ?? null,
  };
}

/** Nothing reports that time has passed. */
const HISTORY_EVERY_MS = 60_000;

export function useStoreChanges() {
  const queries = useQueryClient();
  const onSuccess = () => queries.invalidateQueries({ queryKey: ['stores'] });
  return {
    add: useAction((store: NewStore, call) => uniferum.stores.add(store, call), { onSuccess }),
    change: useAction(
      ({ id, ...patch }: Partial<Omit<NewStore, 'connection'>> & { id: string }, call) =>
        uniferum.stores.change(id, patch, call),
      { onSuccess },
    ),
    remove: useAction((id: string, call) => uniferum.stores.remove(id, call), { onSuccess }),
    audit: useAction(({ id, mode }: { id: string; mode: AuditMode }, call) =>
      uniferum.stores.audit(id, mode, call),
    ),
    repair: useAction(({ id, reasons }: { id: string; reasons: AuditReason[] }, call) =>
      uniferum.stores.repair(id, reasons, call),
    ),
  };
}

/** What the latest audit of a store found, page by page. */
export function useFindings(id: string) {
  return useInfiniteQuery({
    queryKey: ['findings', id],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) =>
      uniferum.stores.findings(id, { limit: 100, ...(pageParam !== undefined && { cursor: pageParam }) }),
    getNextPageParam: ({ next }) => next ?? undefined,
  });
}

/** What a repair would do. */
export function useRepairRehearsal(id: string, reasons: AuditReason[]) {
  return useQuery({
    queryKey: ['rehearsal', 'repair', id, reasons],
    enabled: reasons.length > 0,
    gcTime: 0,
    placeholderData: keepPreviousData,
    queryFn: async () => (await uniferum.stores.rehearseRepair(id, reasons)).plan,
  });
}

/** The copies of an asset's versions and renditions. */
export function useCopies(asset: string) {
  return useQuery({
    queryKey: ['copies', asset],
    placeholderData: keepPreviousData,
    queryFn: async () => (await uniferum.copies.of(asset)).items,
  });
}

/** What adding, dropping or fetching copies would do. */
export function useCopiesRehearsal(change: CopyChange) {
  return useQuery({
    queryKey: ['rehearsal', 'copies', change],
    enabled: change.store !== '',
    gcTime: 0,
    placeholderData: keepPreviousData,
    queryFn: async () => (await uniferum.copies.rehearse(change)).plan,
  });
}

export function useChangeCopies() {
  return useAction((change: CopyChange, call) => uniferum.copies.change(change, call));
}

/** A folder's own and effective placement. */
export function usePlacement(folder: string) {
  return useQuery({ queryKey: ['placement', folder], queryFn: () => uniferum.copies.placement(folder) });
}

/** What setting a placement would store, take and cost. */
export function usePlaceRehearsal(
  folder: string,
  placement: GivenPlacement | null,
  prices: { gigabyteMonth?: number; thousandRequests?: number },
) {
  return useQuery({
    queryKey: ['rehearsal', 'placement', folder, placement, prices],
    gcTime: 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () => (await uniferum.copies.rehearsePlace(folder, placement, prices)).plan,
  });
}

export function usePlace() {
  const queries = useQueryClient();
  return useAction(
    ({ folder, placement }: { folder: string; placement: GivenPlacement | null }, call) =>
      uniferum.copies.place(folder, placement, call),
    { onSuccess: () => queries.invalidateQueries({ queryKey: ['placement'] }) },
  );
}

/** The links to an asset's files that have not expired. */
export function useLinks(asset: string) {
  return useQuery({
    queryKey: ['links', asset],
    queryFn: async () => (await uniferum.copies.links(asset)).items,
  });
}

export interface LinkRequest {
  expiresIn: number;
  maxDownloads: number | null;
  rendition: string | null;
}

export function useLinkChanges(asset: string) {
  const queries = useQueryClient();
  const onSuccess = () => queries.invalidateQueries({ queryKey: ['links', asset] });
  return {
    add: useAction((link: LinkRequest, call) => uniferum.copies.link(asset, link, call), { onSuccess }),
    remove: useAction((id: string, call) => uniferum.copies.removeLink(asset, id, call), { onSuccess }),
  };
}
