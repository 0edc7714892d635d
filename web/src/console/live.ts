import { type QueryClient, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { create } from 'zustand';
import { uniferum } from '../client.js';
import { useUploads } from '../intake/uploads.js';
import { useComposition } from './composition.js';

interface LiveState {
  isConnected: boolean;
}

/** Whether the live stream is connected. */
export const useLive = create<LiveState>(() => ({ isConnected: true }));

/** The minimum interval between refreshes of lists during a burst of events. */
const REFRESH_MS = 700;
/** The wait before a stream that the server has closed is opened again. */
const REOPEN_MS = 3000;

/** Listens to the live stream and refreshes affected queries. Use it once, at the top. */
export function useLiveUpdates(): void {
  const queries = useQueryClient();
  const { stale, live } = useComposition();
  const [attempt, setAttempt] = useState(0);
  // biome-ignore lint/correctness/useExhaustiveDependencies: each attempt opens the stream again
  useEffect(() => {
    const refresh = throttledRefresh(queries);
    const source = new EventSource(uniferum.eventsUrl());
    let again: ReturnType<typeof setTimeout> | undefined;
    source.onopen = () => {
      useLive.setState({ isConnected: true });
      refresh.all();
      useUploads.getState().resume();
    };
    source.onerror = () => {
      useLive.setState({ isConnected: false });
      // A stream that the server refuses is not opened again by the browser. The session may have ended: ask.
      if (source.readyState !== EventSource.CLOSED) return;
      void queries.invalidateQueries({ queryKey: ['me'] });
      again = setTimeout(() => setAttempt((count) => count + 1), REOPEN_MS);
    };
    for (const [type, keys] of stale) source.addEventListener(type, () => refresh.mark(keys));
    for (const [type, take] of live)
      source.addEventListener(type, (event) => refresh.mark(take(queries, JSON.parse(event.data))));
    return () => {
      source.close();
      clearTimeout(again);
      refresh.cancel();
    };
  }, [queries, stale, live, attempt]);
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
