import {
  keepPreviousData,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from '@tanstack/react-query';
import type { InboxRequest, ManifestRequest } from '@uniferum/client';
import type { Asset, MetadataMapping } from '@uniferum/core/library';
import { uniferum } from '../client.js';

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
    rehearse: useMutation({ mutationFn: (request: InboxRequest) => uniferum.inbox.rehearse(request) }),
    register: useMutation({
      mutationFn: (request: InboxRequest) => uniferum.inbox.register(request),
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
    fetchAll: useMutation({
      mutationFn: (request: Addresses) => uniferum.intakes.addresses(request),
      onSuccess,
    }),
    keepLinks: useMutation({
      mutationFn: async ({ folder, addresses }: Addresses) => {
        const kept: { address: string; asset: Asset | null; error: string | null }[] = [];
        for (const source of addresses) {
          try {
            const asset = await uniferum.assets.fetch({ source, folder, as: 'link' });
            kept.push({ address: source, asset, error: null });
          } catch (error) {
            kept.push({
              address: source,
              asset: null,
              error: error instanceof Error ? error.message : String(error),
            });
          }
        }
        return kept;
      },
      onSuccess,
    }),
  };
}

export function useManifestChanges() {
  const queries = useQueryClient();
  return {
    rehearse: useMutation({
      mutationFn: (request: ManifestRequest) => uniferum.intakes.rehearseManifest(request),
    }),
    take: useMutation({
      mutationFn: (request: ManifestRequest) => uniferum.intakes.manifest(request),
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
  const put = useMutation({
    mutationFn: (mapping: MetadataMapping) => uniferum.settings.putMetadata(mapping),
    onSuccess: (saved) => queries.setQueryData(['settings', 'metadata'], saved),
  });
  return { data, error, put };
}
