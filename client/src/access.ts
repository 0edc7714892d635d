import type { ApiKey, Me, Right } from '@uniferum/core/access';
import type { CallOptions, Http } from './http.js';
import type { ListCall } from './paging.js';

/** The caller. */
export function sessionCalls(http: Http) {
  return {
    signIn: (credentials: { email: string; password: string }, call: CallOptions = {}) =>
      http.json<void>('/session', { ...call, method: 'POST', json: credentials }),
    signOut: (call: CallOptions = {}) => http.json<void>('/session', { ...call, method: 'DELETE' }),
    /** The caller and its rights. */
    me: (call: CallOptions = {}) => http.json<Me>('/me', call),
  };
}

/** API keys. */
export function keyCalls(http: Http, list: ListCall) {
  return {
    list: (call: CallOptions = {}) => list<ApiKey>('/keys', {}, call),
    /** The secret appears in this answer only. */
    make: (key: { name: string; rights: Right[] }, call: CallOptions = {}) =>
      http.json<ApiKey & { secret: string }>('/keys', { ...call, method: 'POST', json: key }),
    revoke: (id: string, call: CallOptions = {}) =>
      http.json<void>(`/keys/${id}`, { ...call, method: 'DELETE' }),
  };
}
