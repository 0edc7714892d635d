import { type QueryClient, useQueryClient } from '@tanstack/react-query';
import type { Run } from '@uniferum/core';
import { useEffect } from 'react';
import { create } from 'zustand';
import { uniferum } from '../client.js';

interface LiveState {
  isConnected: boolean;
}

/** Whether the live stream is connected. */
export const useLive = create<LiveState>(() => ({ isConnected: true }));

/** Lists are read again at most this often while events rain in. */
const REFRESH_MS = 700;

/** Which lists a kind of event makes stale. */
const STALE_BY_EVENT: Record<string, string[]> = {
  'asset.created': ['assets', 'folders', 'flow', 'intakes', 'inbox'],
  'asset.changed': ['assets', 'asset', 'folders'],
  'asset.deleted': ['assets', 'asset', 'folders', 'flow', 'bin', 'duplicates'],
  'asset.restored': ['assets', 'folders', 'flow', 'bin', 'duplicates'],
  'asset.renditions': ['assets', 'asset', 'recipes', 'flow'],
  'folder.created': ['folders', 'flow'],
  'folder.changed': ['folders', 'assets'],
  'folder.deleted': ['folders', 'flow'],
  'asset.replaced': ['assets', 'asset', 'folders'],
  'asset.purged': ['bin'],
  'inbox.changed': ['inbox'],
  'settings.changed': ['settings'],
  'rules.changed': ['rules', 'flow'],
  'recipe.changed': ['recipes', 'assets', 'flow'],
  'recipe.deleted': ['recipes', 'assets', 'flow'],
  'run.created': ['runs', 'flow'],
  'run.changed': ['runs', 'run-items', 'flow'],
  'run.ended': ['runs', 'run-items', 'flow', 'recipes', 'intakes', 'inbox', 'assets', 'bin'],
};

/** Follows what happens on the server and refreshes what is shown. Use it once, at the top. */
export function useLiveUpdates(): void {
  const queries = useQueryClient();
  useEffect(() => {
    const refresh = throttledRefresh(queries);
    const source = new EventSource(uniferum.eventsUrl());
    source.onopen = () => {
      useLive.setState({ isConnected: true });
      refresh.all();
    };
    source.onerror = () => useLive.setState({ isConnected: false });
    for (const [type, keys] of Object.entries(STALE_BY_EVENT))
      source.addEventListener(type, () => refresh.mark(keys));
    source.addEventListener('run.progress', (event) => {
      const run: Run = JSON.parse(event.data);
      queries.setQueryData<Run[]>(['active-runs'], (runs = []) => mergeRun(runs, run));
      refresh.mark(['runs', 'run-items']);
    });
    return () => {
      source.close();
      refresh.cancel();
    };
  }, [queries]);
}

/** Puts a run's newest state among the known ones. */
function mergeRun(runs: readonly Run[], run: Run): Run[] {
  const others = runs.filter(({ id }) => id !== run.id);
  return [...others, run].sort((a, b) => Number(b.id) - Number(a.id));
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
