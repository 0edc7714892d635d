import type { Asset } from '@uniferum/core/library';
import type {
  PageSummary,
  PageTypeAnswer,
  RegionEntry,
  RevisionAnswer,
  SitePageAnswer,
  SlotAnswer,
} from '@uniferum/core/pages';
import type { Call, CallOptions, Http } from './http.js';
import type { ListCall, Paging } from './paging.js';

/** A change of a page; what is left out stays. */
export interface SitePagePatch {
  type?: string;
  title?: string;
  slug?: string;
  /** The id of the page above it; null for none. */
  parent?: string | null;
  inNavigation?: boolean;
  position?: number;
  state?: 'draft' | 'published';
  /** HTML in which media are named by `data-asset`. */
  body?: string;
  /** The ids of assets by slot. */
  slots?: Record<string, string[]>;
  regions?: Record<string, RegionEntry<string>[]>;
}

/** How a page is saved. */
export interface SaveCall extends CallOptions {
  ifMatch?: string;
  /** Publishes pictures without alternative text too. */
  force?: boolean;
  /** Saved by itself while somebody writes. */
  autosave?: boolean;
}

/** Pages that are kept here. */
export function sitePageCalls(http: Http, list: ListCall) {
  return {
    list: (query: Paging & { q?: string; state?: 'draft' | 'published' } = {}, call: CallOptions = {}) =>
      list<PageSummary>('/pages', query, call),
    get: (id: string, call: CallOptions = {}) => http.json<SitePageAnswer>(`/pages/${id}`, call),
    /** One page with its entity tag, to edit it with `ifMatch`. */
    getTagged: (id: string, call: CallOptions = {}) => http.tagged<SitePageAnswer>(`/pages/${id}`, call),
    /** What is published at a path, as the site shows it. A page that has moved is found at its earlier paths: then its `path` differs. */
    at: (path: string, call: CallOptions = {}) =>
      http.json<SitePageAnswer>('/pages/at', { ...call, query: { path } }),
    add: (page: SitePagePatch & { title: string }, { force, ...call }: SaveCall = {}) =>
      http.json<SitePageAnswer>('/pages', {
        ...call,
        method: 'POST',
        json: page,
        ...(force && { query: { force } }),
      }),
    change: (id: string, patch: SitePagePatch, call: SaveCall = {}) =>
      http.json<SitePageAnswer>(`/pages/${id}`, toPatch(patch, call)),
    /** The same, with the new entity tag. */
    changeTagged: (id: string, patch: SitePagePatch, call: SaveCall = {}) =>
      http.tagged<SitePageAnswer>(`/pages/${id}`, toPatch(patch, call)),
    /** Deletes a page with its revisions; one with pages below it stays. */
    remove: (id: string, call: CallOptions = {}) =>
      http.json<void>(`/pages/${id}`, { ...call, method: 'DELETE' }),
    /** The files of a slot; one that is unknown or empty has none. */
    slot: async (id: string, slot: string, call: CallOptions = {}) =>
      (await http.json<{ items: Asset[] }>(`/pages/${id}/slots/${slot}`, call)).items,
    /** The first file of a slot; null when there is none. */
    firstOf: (id: string, slot: string, call: CallOptions = {}) =>
      http.json<Asset | null>(`/pages/${id}/slots/${slot}/first`, call),
    revisions: (id: string, query: Paging = {}, call: CallOptions = {}) =>
      list<RevisionAnswer>(`/pages/${id}/revisions`, query, call),
    revision: (id: string, revision: number, call: CallOptions = {}) =>
      http.json<RevisionAnswer & { body: string; html: string }>(`/pages/${id}/revisions/${revision}`, call),
    restore: (id: string, revision: number, call: SaveCall = {}) =>
      http.json<SitePageAnswer>(`/pages/${id}/revisions/${revision}/restore`, { ...call, method: 'POST' }),
    /** Says that you edit a page, or no longer do. @returns who else does */
    editing: async (id: string, editing: boolean, call: CallOptions = {}) =>
      (
        await http.json<{ others: string[] }>(`/pages/${id}/editing`, {
          ...call,
          method: 'PUT',
          json: { editing },
        })
      ).others,
  };
}

function toPatch(json: SitePagePatch, { force, autosave, ...call }: SaveCall): Call {
  const query = { ...(force && { force }), ...(autosave && { autosave }) };
  return { ...call, method: 'PATCH', json, query };
}

/** Types of pages. */
export function pageTypeCalls(http: Http, list: ListCall) {
  return {
    list: (call: CallOptions = {}) => list<PageTypeAnswer>('/page-types', {}, call),
    /** Creates a type, or replaces it. */
    put: (
      type: {
        name: string;
        title: string;
        slots?: (Pick<SlotAnswer, 'name'> & Partial<SlotAnswer>)[];
        regions?: string[];
      },
      call: CallOptions = {},
    ) => http.json<PageTypeAnswer>('/page-types', { ...call, method: 'POST', json: type }),
    remove: (name: string, call: CallOptions = {}) =>
      http.json<void>(`/page-types/${name}`, { ...call, method: 'DELETE' }),
  };
}
