import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { isUniferumApiError } from '@uniferum/client';
import { hasRight, type Me, type Right } from '@uniferum/core/access';
import { uniferum } from '../client.js';

/** The signed-in user; null when nobody is signed in. */
export function useMe() {
  return useQuery({
    queryKey: ['me'],
    staleTime: 60_000,
    queryFn: async (): Promise<Me | null> => {
      try {
        return await uniferum.session.me();
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
    mutationFn: (credentials: { email: string; password: string }) => uniferum.session.signIn(credentials),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['me'] }),
  });
}

export function useSignOut() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => uniferum.session.signOut(),
    onSuccess: () => {
      queries.setQueryData(['me'], null);
      // Cached data of one session must not be shown in the next.
      queries.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'me' });
    },
  });
}
