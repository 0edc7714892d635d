import { useQuery, useQueryClient } from '@tanstack/react-query';
import type { Right } from '@uniferum/core/access';
import { uniferum } from '../client.js';
import { useAction } from '../ui/use-action.js';

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
    make: useAction(
      (key: { name: string; rights: Right[]; origins?: string[] }, call) => uniferum.keys.make(key, call),
      {
        onSuccess: refresh,
      },
    ),
    revoke: useAction((id: string, call) => uniferum.keys.revoke(id, call), { onSuccess: refresh }),
  };
}
