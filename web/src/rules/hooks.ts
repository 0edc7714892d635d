import { useQuery, useQueryClient } from '@tanstack/react-query';
import type { FolderAccessChange } from '@uniferum/core/library';
import type { FolderRules } from '@uniferum/core/rules';
import { uniferum } from '../client.js';
import { type Edit, saveMerged } from '../ui/save-merged.js';
import { useAction } from '../ui/use-action.js';
import { type RulesForm, toForm, toRules } from './rules-form.js';

/** A folder's own and effective rules. */
export function useRules(folderId: string | null) {
  return useQuery({
    queryKey: ['rules', folderId],
    enabled: folderId !== null,
    queryFn: () => uniferum.folders.rules(folderId ?? ''),
  });
}

/** A folder's rules as they were when the form for them was opened, with their entity tag. */
export function useOpenedRules(folderId: string) {
  return useQuery({
    queryKey: ['opened', 'rules', folderId],
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    queryFn: () => uniferum.folders.rulesTagged(folderId),
  });
}

/** Saves an edit of a folder's own rules, merged with what others have saved meanwhile. */
export function useSaveRules(folderId: string) {
  const queries = useQueryClient();
  return useAction(
    (edit: Edit<RulesForm>) =>
      saveMerged(edit, {
        read: async () => {
          const { value, etag } = await uniferum.folders.rulesTagged(folderId);
          return { value: toForm(value.own), etag };
        },
        write: ({ base, mine }) => uniferum.folders.putRules(folderId, toRules(mine), { ifMatch: base.etag }),
      }),
    { onSuccess: () => queries.invalidateQueries({ queryKey: ['rules'] }) },
  );
}

/** Counts the existing files that would violate new rules. */
export function useRehearseRules() {
  return useAction(({ folderId, rules }: { folderId: string; rules: Partial<FolderRules> }, call) =>
    uniferum.folders.rehearseRules(folderId, rules, call),
  );
}

/** A folder's own and effective access settings. */
export function useAccess(folderId: string) {
  return useQuery({ queryKey: ['access', folderId], queryFn: () => uniferum.folders.access(folderId) });
}

export function usePutAccess() {
  const queries = useQueryClient();
  return useAction(
    ({ folderId, access }: { folderId: string; access: FolderAccessChange }, call) =>
      uniferum.folders.putAccess(folderId, access, call),
    { onSuccess: () => queries.invalidateQueries({ queryKey: ['access'] }) },
  );
}
