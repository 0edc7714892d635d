import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { isUniferumApiError } from '@uniferum/client';
import { hasRight, type Me, type Right } from '@uniferum/core/access';
import { uniferum } from '../client.js';
import { sessionBegan, sessionLeft } from './session.js';

/** The signed-in user; null when nobody is signed in. */
export function useMe() {
  return useQuery({
    queryKey: ['me'],
    staleTime: 60_000,
    queryFn: async (): Promise<Me | null> => {
      try {
        const me = await uniferum.session.me();
        sessionBegan();
        return me;
      } catch (error) {
        if (isUniferumApiError(error) && error.status === 401) return null;
        throw error;
      }
    },
  });
}

/** Tells whether the signed-in user has a right. */
export function useRight(right: Right): boolean {
  return hasRight(useMe().data?.rights ?? [], right);
}

export function useSignIn() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (credentials: { email: string; password: string }) => {
      await uniferum.session.signIn(credentials);
      return uniferum.session.me();
    },
    onSuccess: (me) => {
      const before = queries.getQueryData<Me | null>(['me']);
      // What one user typed and read must not be sent or shown in the session of another.
      if (before && before.id !== me.id) return window.location.reload();
      queries.setQueryData(['me'], me);
      sessionBegan();
      void queries.invalidateQueries();
    },
  });
}

export function useSignOut() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => uniferum.session.signOut(),
    onSuccess: () => {
      sessionLeft();
      queries.setQueryData(['me'], null);
      // Cached data of one session must not be shown in the next.
      queries.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'me' });
    },
  });
}
