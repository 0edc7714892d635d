import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { FolderRules } from '@uniferum/core';
import { uniferum } from '../client.js';

/** A folder's own rules, and those that hold there. */
export function useRules(folderId: string | null) {
  return useQuery({
    queryKey: ['rules', folderId],
    enabled: folderId !== null,
    queryFn: () => uniferum.folders.rules(folderId ?? ''),
  });
}

export function usePutRules() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ folderId, rules }: { folderId: string; rules: FolderRules }) =>
      uniferum.folders.putRules(folderId, rules),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['rules'] }),
  });
}

/** Counts the present files that new rules would put outside. */
export function useRehearseRules() {
  return useMutation({
    mutationFn: ({ folderId, rules }: { folderId: string; rules: Partial<FolderRules> }) =>
      uniferum.folders.rehearseRules(folderId, rules),
  });
}
