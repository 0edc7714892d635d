import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { FolderAccess } from '@uniferum/core/library';
import type { FolderRules } from '@uniferum/core/rules';
import { uniferum } from '../client.js';

/** A folder's own and effective rules. */
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

/** Counts the existing files that would violate new rules. */
export function useRehearseRules() {
  return useMutation({
    mutationFn: ({ folderId, rules }: { folderId: string; rules: Partial<FolderRules> }) =>
      uniferum.folders.rehearseRules(folderId, rules),
  });
}

/** A folder's own and effective access settings. */
export function useAccess(folderId: string) {
  return useQuery({ queryKey: ['access', folderId], queryFn: () => uniferum.folders.access(folderId) });
}

export function usePutAccess() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ folderId, access }: { folderId: string; access: FolderAccess }) =>
      uniferum.folders.putAccess(folderId, access),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['access'] }),
  });
}
