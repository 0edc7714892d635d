import type { BucketSettings, ConnectionAnswer } from '@uniferum/core/connections';
import type { TestStep } from '@uniferum/core/shared';
import type { CallOptions, Http } from './http.js';
import type { ListCall } from './paging.js';

/** The settings of a bucket: those without a default, and any of the others. */
export type GivenBucketSettings = Pick<BucketSettings, 'endpoint' | 'region' | 'bucket' | 'accessKey'> &
  Partial<BucketSettings>;

/** A connection to add. */
export interface NewConnection {
  kind?: 'bucket';
  name: string;
  settings: GivenBucketSettings;
  /** The secret of the access key. */
  secret: string;
}

/** A change of a connection. Settings are given complete; a secret that isn't given stays. */
export interface ConnectionPatch {
  name?: string;
  settings?: GivenBucketSettings;
  secret?: string;
}

/** Settings to test. Without a secret, that of the saved connection `id` is used. */
export interface ConnectionToTest {
  settings: GivenBucketSettings;
  secret?: string;
  id?: string;
}

/** Connections to outside systems. */
export function connectionCalls(http: Http, list: ListCall) {
  return {
    list: (call: CallOptions = {}) => list<ConnectionAnswer>('/connections', {}, call),
    get: (id: string, call: CallOptions = {}) => http.json<ConnectionAnswer>(`/connections/${id}`, call),
    /** One connection with its entity tag, to edit it with `ifMatch`. */
    getTagged: (id: string, call: CallOptions = {}) =>
      http.tagged<ConnectionAnswer>(`/connections/${id}`, call),
    add: (connection: NewConnection, call: CallOptions = {}) =>
      http.json<ConnectionAnswer>('/connections', { ...call, method: 'POST', json: connection }),
    change: (id: string, patch: ConnectionPatch, call: CallOptions = {}) =>
      http.json<ConnectionAnswer>(`/connections/${id}`, { ...call, method: 'PATCH', json: patch }),
    /** Deletes it here; nothing is deleted in the outside system. */
    remove: (id: string, call: CallOptions = {}) =>
      http.json<void>(`/connections/${id}`, { ...call, method: 'DELETE' }),
    /** Tests a saved connection step by step; the first failing step says what to do. */
    test: (id: string, call: CallOptions = {}) =>
      http.json<{ steps: TestStep[] }>(`/connections/${id}/test`, { ...call, method: 'POST' }),
    /** Tests settings before they are saved. */
    testSettings: (settings: ConnectionToTest, call: CallOptions = {}) =>
      http.json<{ steps: TestStep[] }>('/connections/test', { ...call, method: 'POST', json: settings }),
  };
}
