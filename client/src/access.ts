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
    /** The secret appears in this answer only. A web page can use the key if its origin is among `origins`. */
    make: (key: { name: string; rights: Right[]; origins?: readonly string[] }, call: CallOptions = {}) =>
      http.json<ApiKey & { secret: string }>('/keys', { ...call, method: 'POST', json: key }),
    revoke: (id: string, call: CallOptions = {}) =>
      http.json<void>(`/keys/${id}`, { ...call, method: 'DELETE' }),
  };
}

/** What a token is limited to. */
interface TokenLimits {
  /** The origin of the page that uses the token; no other page can then use it. */
  origin?: string;
  /** The maximum size of an uploaded file, in bytes. */
  maxBytes?: number;
  /** How many files can be uploaded with the token. */
  maxItems?: number;
  /** What can be uploaded: extensions, media types and wildcards. */
  allow?: readonly string[];
  /** In seconds, from a minute to a day. @defaultValue 3600 */
  expiresIn?: number;
}

/** What a picker's token is limited to. */
export interface PickerTokenRequest extends TokenLimits {
  /** The picker shows this folder and those below it. @defaultValue the whole library */
  folder?: string;
  /** False: nothing can be added to the library. @defaultValue true */
  upload?: boolean;
}

/** What the token of a page that uploads files is limited to. */
export interface UploadTokenRequest extends TokenLimits {
  /** Files go into this folder, or into those below it. */
  folder: string;
}

/** Tokens that a site's server hands to web pages that upload files. */
export function uploadTokenCalls(http: Http) {
  return {
    /** The token appears in this answer only. */
    make: (request: UploadTokenRequest, call: CallOptions = {}) =>
      http.json<{ token: string; expiresAt: string }>('/upload-tokens', {
        ...call,
        method: 'POST',
        json: request,
      }),
  };
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
