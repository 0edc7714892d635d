import type {
  AddressPair,
  DatabaseSettings,
  DocumentFormat,
  FolderSettings,
  PageReference,
  PageSourceAnswer,
  ShownEdit,
  SiteSettings,
  Use,
} from '@uniferum/core/pages';
import type { Run } from '@uniferum/core/runs';
import type { TestStep } from '@uniferum/core/shared';
import type { CallOptions, Http } from './http.js';
import type { ListCall, Paging } from './paging.js';

/** Settings of a source: those without a default, and any of the others. */
type Given<Settings, Needed extends keyof Settings> = Pick<Settings, Needed> & Partial<Settings>;

/** A page source to add. */
export type NewPageSource =
  | { kind?: 'folder'; name: string; settings: Given<FolderSettings, 'path'> }
  | {
      kind: 'database';
      name: string;
      settings: Given<Omit<DatabaseSettings, 'columns'>, 'host' | 'user' | 'database' | 'table' | 'key'> & {
        columns: { name: string; format?: DocumentFormat }[];
      };
      /** The password of the user. */
      secret?: string;
    }
  | { kind: 'site'; name: string; settings: Given<SiteSettings, 'url'> };

/** A change of a page source. Settings are given complete; an empty secret removes it. */
export interface PageSourcePatch {
  name?: string;
  settings?: NewPageSource['settings'];
  secret?: string | null;
}

/** Sources of pages. */
export function sourceCalls(http: Http, list: ListCall) {
  return {
    list: (call: CallOptions = {}) => list<PageSourceAnswer>('/sources', {}, call),
    get: (id: string, call: CallOptions = {}) => http.json<PageSourceAnswer>(`/sources/${id}`, call),
    add: (source: NewPageSource, call: CallOptions = {}) =>
      http.json<PageSourceAnswer>('/sources', { ...call, method: 'POST', json: source }),
    change: (id: string, patch: PageSourcePatch, call: CallOptions = {}) =>
      http.json<PageSourceAnswer>(`/sources/${id}`, { ...call, method: 'PATCH', json: patch }),
    remove: (id: string, call: CallOptions = {}) =>
      http.json<void>(`/sources/${id}`, { ...call, method: 'DELETE' }),
    /** Tests it step by step; the first failing step says what to do. */
    test: (id: string, call: CallOptions = {}) =>
      http.json<{ steps: TestStep[] }>(`/sources/${id}/test`, { ...call, method: 'POST' }),
    /** Reads the documents that have changed, or the pages of a site. */
    index: (id: string, call: CallOptions = {}) =>
      http.json<{ run: Run }>(`/sources/${id}/index`, { ...call, method: 'POST' }),
  };
}

/** Which addresses to replace, and by what. */
export interface RewriteRequest {
  /** The ids of writable sources. */
  sources: string[];
  map?: AddressPair[];
  /** All addresses below one are replaced by those below another; the longest that fits counts. */
  prefixes?: AddressPair[];
  /** Two columns, old and new address, as an alternative to `map`. */
  csv?: string;
}

/** A rehearsal: every document that would change, with its first changes. */
export interface RewritePlan {
  items: { source: string; document: string; edits: number; diff: ShownEdit[] }[];
  totals: { documents: number; edits: number; unreadable: number };
}

/** Replacing addresses in documents. */
export function rewriteCalls(http: Http) {
  return {
    rehearse: (request: RewriteRequest, call: CallOptions = {}) =>
      http.json<{ plan: RewritePlan }>('/rewrites', {
        ...call,
        method: 'POST',
        json: request,
        query: { rehearse: true },
      }),
    begin: (request: RewriteRequest, call: CallOptions = {}) =>
      http.json<{ run: Run }>('/rewrites', { ...call, method: 'POST', json: request }),
  };
}

export type ReferenceState = 'broken' | 'found' | 'outside';

/** Which broken references to fix: some by id, all, or all of a source. */
export type FixRequest = { ids: string[] } | { all: true; source?: string };

/** Addresses on pages. */
export function referenceCalls(http: Http, list: ListCall) {
  return {
    /** Shows what replacing broken references by what is proposed for each would change. */
    rehearseFix: (request: FixRequest, call: CallOptions = {}) =>
      http.json<{ plan: RewritePlan }>('/references/fix', {
        ...call,
        method: 'POST',
        json: request,
        query: { rehearse: true },
      }),
    fix: (request: FixRequest, call: CallOptions = {}) =>
      http.json<{ run: Run }>('/references/fix', { ...call, method: 'POST', json: request }),
    /** The URL of a table of all references in a state. */
    reportUrl: (query: { state?: ReferenceState; source?: string } = {}) =>
      http.url('/references/report', query),
    report: (query: { state?: ReferenceState; source?: string } = {}, call: CallOptions = {}) =>
      http.send('/references/report', { ...call, query, hasTimeout: false }),
    /** Lists references in a state. @defaultValue the broken ones of all sources */
    list: (query: Paging & { state?: ReferenceState; source?: string } = {}, call: CallOptions = {}) =>
      list<PageReference>('/references', query, call),
    /** Lists the places where an asset is used. */
    usesOf: (asset: string, query: Paging = {}, call: CallOptions = {}) =>
      list<Use>(`/assets/${asset}/uses`, query, call),
  };
}
