import { keepPreviousData, useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query';
import type { InboxRequest, ManifestRequest } from '@uniferum/client';
import type { Asset, MetadataMapping } from '@uniferum/core/library';
import { uniferum } from '../client.js';
import { type ActionCall, useAction } from '../ui/use-action.js';

/** Earlier intakes, newest first. */
export function useIntakes() {
  return useInfiniteQuery({
    queryKey: ['intakes'],
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam }) =>
      await uniferum.intakes.list({ limit: 30, ...(pageParam && { cursor: pageParam }) }),
    getNextPageParam: ({ next }) => next ?? undefined,
  });
}

/** The files of one intake with their verdicts. */
export function useIntakeFiles(id: string | null) {
  return useInfiniteQuery({
    queryKey: ['intakes', id, 'files'],
    enabled: id !== null,
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam }) =>
      await uniferum.intakes.files(id ?? '', { limit: 100, ...(pageParam && { cursor: pageParam }) }),
    getNextPageParam: ({ next }) => next ?? undefined,
  });
}

/** The files in the inbox, and what importing them into a folder would give. */
export function useInbox(folder: string) {
  return useQuery({
    queryKey: ['inbox', folder],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) => uniferum.inbox.list({ folder }, { signal }),
  });
}

export function useInboxChanges() {
  const queries = useQueryClient();
  return {
    rehearse: useAction((request: InboxRequest, call) => uniferum.inbox.rehearse(request, call)),
    register: useAction((request: InboxRequest, call) => uniferum.inbox.register(request, call), {
      onSuccess: () => {
        for (const key of ['inbox', 'intakes', 'runs']) void queries.invalidateQueries({ queryKey: [key] });
      },
    }),
  };
}

interface Addresses {
  folder: string;
  addresses: string[];
}

export function useAddressChanges() {
  const queries = useQueryClient();
  const onSuccess = () => void queries.invalidateQueries({ queryKey: ['intakes'] });
  return {
    fetchAll: useAction((request: Addresses, call) => uniferum.intakes.addresses(request, call), {
      onSuccess,
    }),
    keepLinks: useAction(keepLinks, { onSuccess }),
  };
}

interface KeptLink {
  address: string;
  asset: Asset | null;
  /** Why it was not kept. */
  error: string | null;
}

/** Keeps links one after the other; one that fails does not stop the rest. */
async function keepLinks(
  { folder, addresses }: Addresses,
  { idempotencyKey }: ActionCall,
): Promise<KeptLink[]> {
  const kept: KeptLink[] = [];
  for (const [index, address] of addresses.entries()) {
    const call = { idempotencyKey: `${idempotencyKey}-${index}` };
    try {
      const asset = await uniferum.assets.fetch({ source: address, folder, as: 'link' }, call);
      kept.push({ address, asset, error: null });
    } catch (error) {
      kept.push({ address, asset: null, error: error instanceof Error ? error.message : String(error) });
    }
  }
  return kept;
}

export function useManifestChanges() {
  const queries = useQueryClient();
  return {
    rehearse: useAction((request: ManifestRequest, call) => uniferum.intakes.rehearseManifest(request, call)),
    take: useAction((request: ManifestRequest, call) => uniferum.intakes.manifest(request, call), {
      onSuccess: () => void queries.invalidateQueries({ queryKey: ['intakes'] }),
    }),
  };
}

/** The metadata mapping: which Exif, IPTC and XMP fields fill which texts. */
export function useMetadataMapping() {
  const queries = useQueryClient();
  const { data, error } = useQuery({
    queryKey: ['settings', 'metadata'],
    queryFn: () => uniferum.settings.metadata(),
  });
  const put = useAction((mapping: MetadataMapping, call) => uniferum.settings.putMetadata(mapping, call), {
    onSuccess: (saved) => queries.setQueryData(['settings', 'metadata'], saved),
  });
  return { data, error, put };
}
