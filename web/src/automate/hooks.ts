import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { Right } from '@uniferum/core/access';
import { uniferum } from '../client.js';

export function useKeys(isEnabled: boolean) {
  return useQuery({
    queryKey: ['keys'],
    enabled: isEnabled,
    queryFn: async () => (await uniferum.keys.list()).items,
  });
}

export function useKeyChanges() {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ['keys'] });
  return {
    make: useMutation({
      mutationFn: (key: { name: string; rights: Right[] }) => uniferum.keys.make(key),
      onSuccess: refresh,
    }),
    revoke: useMutation({ mutationFn: (id: string) => uniferum.keys.revoke(id), onSuccess: refresh }),
  };
}
