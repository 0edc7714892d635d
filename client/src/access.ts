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

/** What a picker's token is limited to. */
export interface PickerTokenRequest {
  /** The picker shows this folder and those below it. @defaultValue the whole library */
  folder?: string;
  /** The origin of the page that shows the picker; no other page can then use the token in one. */
  origin?: string;
  /** False: nothing can be added to the library. @defaultValue true */
  upload?: boolean;
  /** The maximum size of an uploaded file, in bytes. */
  maxBytes?: number;
  /** How many files can be uploaded with the token. */
  maxItems?: number;
  /** What can be uploaded: extensions, media types and wildcards. */
  allow?: readonly string[];
  /** In seconds, from a minute to a day. @defaultValue 3600 */
  expiresIn?: number;
}

/** Tokens that a site's server hands to the browsers of its editors. */
export function pickerTokenCalls(http: Http) {
  return {
    /** The token appears in this answer only. */
    make: (request: PickerTokenRequest = {}, call: CallOptions = {}) =>
      http.json<{ token: string; expiresAt: string }>('/picker-tokens', {
        ...call,
        method: 'POST',
        json: request,
      }),
  };
}
