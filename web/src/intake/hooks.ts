import { useInfiniteQuery } from '@tanstack/react-query';
import { uniferum } from '../client.js';

/** Earlier intakes, the newest first. */
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
