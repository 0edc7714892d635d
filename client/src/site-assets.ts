import type { ReleasePlan, SiteAssetsAnswer, SiteFileAnswer } from '@uniferum/core/pages';
import type { Run } from '@uniferum/core/runs';
import type { CallOptions, Http } from './http.js';
import type { ListCall, Paging } from './paging.js';

/** A folder of style sheets, scripts and fonts that a store is to serve. */
export interface NewSiteAssets {
  name: string;
  /** On the server, below a folder that `UNIFERUM_SOURCE_DIRS` names. */
  folder: string;
  /** Where the site serves that folder. */
  url: string;
  /** The name of a store with a public address. */
  store: string;
  /** Whether pages of writable sources are given the addresses in the store. @defaultValue false */
  rewritePages?: boolean;
}

/** Folders of style sheets, scripts and fonts that stores serve. */
export function siteAssetCalls(http: Http, list: ListCall) {
  return {
    list: (call: CallOptions = {}) => list<SiteAssetsAnswer>('/site-assets', {}, call),
    get: (id: string, call: CallOptions = {}) => http.json<SiteAssetsAnswer>(`/site-assets/${id}`, call),
    add: (assets: NewSiteAssets, call: CallOptions = {}) =>
      http.json<SiteAssetsAnswer>('/site-assets', { ...call, method: 'POST', json: assets }),
    /** Changes it; pages follow when `rewritePages` changes. */
    change: (id: string, patch: Partial<Omit<NewSiteAssets, 'store'>>, call: CallOptions = {}) =>
      http.json<{ siteAssets: SiteAssetsAnswer; run: string | null }>(`/site-assets/${id}`, {
        ...call,
        method: 'PATCH',
        json: patch,
      }),
    /** Deletes it with its files in the store, once no page leads to them. */
    remove: (id: string, call: CallOptions = {}) =>
      http.json<void>(`/site-assets/${id}`, { ...call, method: 'DELETE' }),
    /** The files of the current release with their addresses, for templates and build scripts. */
    files: (id: string, query: Paging = {}, call: CallOptions = {}) =>
      list<SiteFileAnswer>(`/site-assets/${id}/files`, query, call),
    /** Places the files as they are now, under addresses of their own. */
    place: (id: string, call: CallOptions = {}) =>
      http.json<{ run: Run }>(`/site-assets/${id}/place`, { ...call, method: 'POST' }),
    rehearsePlace: (id: string, call: CallOptions = {}) =>
      http.json<{ plan: ReleasePlan }>(`/site-assets/${id}/place`, {
        ...call,
        method: 'POST',
        query: { rehearse: true },
      }),
  };
}
