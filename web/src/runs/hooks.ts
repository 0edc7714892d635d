import { keepPreviousData, useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query';
import { isActive, type Run } from '@uniferum/core/runs';
import { uniferum } from '../client.js';
import { useAction } from '../ui/use-action.js';

/** The active runs, and those that ended while the console was open; newest first. */
export function useActiveRuns() {
  return useQuery({
    queryKey: ['active-runs'],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async (): Promise<Run[]> =>
      (await uniferum.runs.list({ limit: 20 })).items.filter(
        ({ state }) => isActive(state) || state === 'stopped',
      ),
  });
}

export function useRuns() {
  return useInfiniteQuery({
    queryKey: ['runs'],
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam }) =>
      await uniferum.runs.list({ limit: 50, ...(pageParam && { cursor: pageParam }) }),
    getNextPageParam: ({ next }) => next ?? undefined,
  });
}

/** One run, which may be older than those listed; null requests none. */
export function useRun(id: string | null) {
  return useQuery({
    queryKey: ['runs', 'one', id],
    enabled: id !== null,
    retry: false,
    queryFn: () => uniferum.runs.get(id ?? ''),
  });
}

export function useRunItems(id: string | null, state: 'failed' | null) {
  return useInfiniteQuery({
    queryKey: ['run-items', id, state],
    enabled: id !== null,
    placeholderData: keepPreviousData,
    initialPageParam: undefined as string | undefined,
    queryFn: async ({ pageParam }) =>
      await uniferum.runs.items(id ?? '', {
        limit: 100,
        ...(state && { state }),
        ...(pageParam && { cursor: pageParam }),
      }),
    getNextPageParam: ({ next }) => next ?? undefined,
  });
}

export type Steering = 'stop' | 'resume' | 'retry' | 'undo';

/** Stops, resumes or retries a run; repeating it is harmless. */
export function useSteerRun() {
  const queries = useQueryClient();
  return useAction(
    async ({ id, verb }: { id: string; verb: Steering }, call) =>
      verb === 'undo' ? (await uniferum.runs.undo(id, call)).run : uniferum.runs[verb](id, call),
    {
      onSuccess: (run) => {
        queries.setQueryData<Run[]>(['active-runs'], (runs = []) => [
          run,
          ...runs.filter(({ id }) => id !== run.id),
        ]);
        for (const key of ['runs', 'assets', 'asset']) void queries.invalidateQueries({ queryKey: [key] });
      },
    },
  );
}
