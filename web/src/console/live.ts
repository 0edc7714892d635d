import { type QueryClient, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { create } from 'zustand';
import { uniferum } from '../client.js';
import { useComposition } from './composition.js';

interface LiveState {
  isConnected: boolean;
}

/** Whether the live stream is connected. */
export const useLive = create<LiveState>(() => ({ isConnected: true }));

/** The minimum interval between refreshes of lists during a burst of events. */
const REFRESH_MS = 700;

/** Listens to the live stream and refreshes affected queries. Use it once, at the top. */
export function useLiveUpdates(): void {
  const queries = useQueryClient();
  const { stale, live } = useComposition();
  useEffect(() => {
    const refresh = throttledRefresh(queries);
    const source = new EventSource(uniferum.eventsUrl());
    source.onopen = () => {
      useLive.setState({ isConnected: true });
      refresh.all();
    };
    source.onerror = () => useLive.setState({ isConnected: false });
    for (const [type, keys] of stale) source.addEventListener(type, () => refresh.mark(keys));
    for (const [type, take] of live)
      source.addEventListener(type, (event) => refresh.mark(take(queries, JSON.parse(event.data))));
    return () => {
      source.close();
      refresh.cancel();
    };
  }, [queries, stale, live]);
}

function throttledRefresh(queries: QueryClient) {
  const stale = new Set<string>();
  let timer: ReturnType<typeof setTimeout> | null = null;
  const flush = () => {
    timer = null;
    for (const key of stale) void queries.invalidateQueries({ queryKey: [key] });
    stale.clear();
  };
  return {
    mark(keys: readonly string[]) {
      for (const key of keys) stale.add(key);
      timer ??= setTimeout(flush, REFRESH_MS);
    },
    all: () => void queries.invalidateQueries(),
    cancel: () => {
      if (timer) clearTimeout(timer);
    },
  };
}
