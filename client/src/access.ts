import type { ApiKey, Me, Right } from '@uniferum/core/access';
import type { CallOptions, Http } from './http.js';
import type { ListCall } from './paging.js';

/** Who is signed in. */
export function sessionCalls(http: Http) {
  return {
    signIn: (credentials: { email: string; password: string }, call: CallOptions = {}) =>
      http.json<void>('/session', { ...call, method: 'POST', json: credentials }),
    signOut: (call: CallOptions = {}) => http.json<void>('/session', { ...call, method: 'DELETE' }),
    /** Who I am, and my rights. */
    me: (call: CallOptions = {}) => http.json<Me>('/me', call),
  };
}

/** Keys of scripts. */
export function keyCalls(http: Http, list: ListCall) {
  return {
    list: (call: CallOptions = {}) => list<ApiKey>('/keys', {}, call),
    /** The secret is in this answer and nowhere else. */
    make: (key: { name: string; rights: Right[] }, call: CallOptions = {}) =>
      http.json<ApiKey & { secret: string }>('/keys', { ...call, method: 'POST', json: key }),
    revoke: (id: string, call: CallOptions = {}) =>
      http.json<void>(`/keys/${id}`, { ...call, method: 'DELETE' }),
  };
}
