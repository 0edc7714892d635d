import { useQuery, useQueryClient } from '@tanstack/react-query';
import type { ConnectionPatch, ConnectionToTest, NewConnection } from '@uniferum/client';
import { uniferum } from '../client.js';
import { useAction } from '../ui/use-action.js';

export function useConnections() {
  return useQuery({
    queryKey: ['connections'],
    queryFn: async () => (await uniferum.connections.list()).items,
  });
}

/** A connection as it is now, to edit it. */
export function useTaggedConnection(id: string) {
  return useQuery({
    queryKey: ['connection', id],
    queryFn: async () => uniferum.connections.getTagged(id),
    staleTime: 0,
    gcTime: 0,
    refetchOnWindowFocus: false,
  });
}

export function useConnectionChanges() {
  const queries = useQueryClient();
  const onSuccess = () => queries.invalidateQueries({ queryKey: ['connections'] });
  return {
    add: useAction((connection: NewConnection, call) => uniferum.connections.add(connection, call), {
      onSuccess,
    }),
    change: useAction(
      ({ id, ifMatch, ...patch }: ConnectionPatch & { id: string; ifMatch: string }, call) =>
        uniferum.connections.change(id, patch, { ...call, ifMatch }),
      { onSuccess },
    ),
    remove: useAction((id: string, call) => uniferum.connections.remove(id, call), { onSuccess }),
    test: useAction((id: string, call) => uniferum.connections.test(id, call)),
    testSettings: useAction((settings: ConnectionToTest, call) =>
      uniferum.connections.testSettings(settings, call),
    ),
  };
}
