import type {
  Asset,
  AssetRendition,
  AssetSort,
  AssetTexts,
  FocalPoint,
  HistoryEvent,
  Page,
  Visibility,
} from '@uniferum/core/library';
import type { Run } from '@uniferum/core/runs';
import { type AssetPlace, getAsset, putAsset, replaceContent } from './asset-place.js';
import type { CallOptions, Http } from './http.js';
import type { ListCall, Paging } from './paging.js';
import { type ResumableResult, type ResumableUpload, uploadResumably } from './resumable.js';
import type {
  AssetSelection,
  BinnedAsset,
  BulkPlan,
  BulkRequest,
  Facets,
  SavedFilter,
  SourceRequest,
} from './types.js';
import { type UploadRequest, type UploadResult, uploadFiles } from './upload.js';
import type { UploadData } from './upload-data.js';

export interface AssetQuery extends Paging {
  /** The filter language: `kind:image size>2mb alt:none`. */
  q?: string;
  folder?: string;
  /** Includes subfolders. */
  deep?: boolean;
  sort?: AssetSort;
}

export interface AssetPatch extends Partial<AssetTexts> {
  name?: string;
  folder?: string;
  capturedAt?: string | null;
  focal?: FocalPoint | null;
  /** Who may read it; null takes what its folder says. */
  visibility?: Visibility | null;
}

export interface Version {
  n: number;
  sha256: string;
  bytes: number;
  mime: string;
  width: number | null;
  height: number | null;
  by: string;
  /** The version it restored. */
  restoredFrom: number | null;
  /** The version it is an optimised form of. */
  optimisedFrom: number | null;
  /** The URL of its bytes. */
  url: string;
  createdAt: string;
}

/** Finding, reading and changing assets, individually and in bulk. */
export function assetCalls(http: Http, list: ListCall) {
  return {
    ...singleCalls(http, list),
    ...findingCalls(http, list),
    ...sendingCalls(http),
    ...bulkCalls(http),
  };
}

/** One asset. */
function singleCalls(http: Http, list: ListCall) {
  return {
    list: (query: AssetQuery = {}, call: CallOptions = {}) => list<Asset>('/assets', query, call),
    /**
     * One asset: by its id, by its path in the library, or by the digest of its bytes.
     *
     * @throws UniferumApiError with status 404 when there is none
     */
    get: (which: string | AssetPlace, call: CallOptions = {}) => getAsset(http, which, call),
    /** One asset with its entity tag, to edit it with `ifMatch`. */
    getTagged: (id: string, call: CallOptions = {}) => http.tagged<Asset>(`/assets/${id}`, call),
    change: (id: string, patch: AssetPatch, call: CallOptions = {}) =>
      http.json<Asset>(`/assets/${id}`, { ...call, method: 'PATCH', json: patch }),
    /** Moves it to the bin; one that pages use only with `force`. */
    remove: (id: string, call: CallOptions & { force?: boolean } = {}) =>
      http.json<void>(`/assets/${id}`, {
        ...call,
        method: 'DELETE',
        ...(call.force && { query: { force: true } }),
      }),
    restore: (id: string, call: CallOptions = {}) =>
      http.json<Asset>(`/assets/${id}/restore`, { ...call, method: 'POST' }),
  };
}

/** Uploads and imports. */
function sendingCalls(http: Http) {
  return {
    /** Creates a file at a path, replaces it if its bytes differ, or does nothing. */
    put: (path: string, data: UploadData, call: CallOptions & Pick<UploadRequest, 'onProgress'> = {}) =>
      putAsset(http, path, data, call),
    /** Uploads files of any form: bytes, blobs, streams, responses, addresses, and in Node.js paths. */
    upload: (request: UploadRequest): Promise<UploadResult[]> => uploadFiles(http, request),
    /** Uploads one file in pieces; it resumes after a broken connection or a reload. */
    uploadResumably: (upload: ResumableUpload): Promise<ResumableResult> => uploadResumably(http, upload),
    /** Imports a file from a URL, or keeps a link to media hosted elsewhere. */
    fetch: (request: SourceRequest, call: CallOptions = {}) =>
      http.json<Asset>('/assets', { ...call, method: 'POST', json: request, hasTimeout: false }),
    /** Replaces the bytes at the same URL. */
    replace: (id: string, data: Blob, call: CallOptions = {}) => replaceContent(http, id, data, call),
    restoreVersion: (id: string, n: number, call: CallOptions = {}) =>
      http.json<Asset>(`/assets/${id}/versions/${n}/restore`, { ...call, method: 'POST' }),
  };
}

/** Bulk operations. */
function bulkCalls(http: Http) {
  return {
    /** Lists what a bulk edit would change; changes nothing. */
    rehearseEdit: (request: BulkRequest, call: CallOptions = {}) =>
      http.json<{ plan: BulkPlan }>('/assets/bulk', {
        ...call,
        method: 'POST',
        json: request,
        query: { rehearse: true },
        hasTimeout: false,
      }),
    /** Edits all assets of a selection in a run that can be undone. */
    edit: (request: BulkRequest, call: CallOptions = {}) =>
      http.json<{ run: Run }>('/assets/bulk', {
        ...call,
        method: 'POST',
        json: request,
        hasTimeout: false,
      }),
    /** Shows which assets would stay where they are, and why: pages may use them. */
    rehearseAct: (request: BulkActionRequest, call: CallOptions = {}) =>
      http.json<{ plan: BulkActionPlan }>('/assets/bulk', {
        ...call,
        method: 'POST',
        json: request,
        query: { rehearse: true },
        hasTimeout: false,
      }),
    /** Bins, restores or purges all assets of a selection in a run. */
    act: (request: BulkActionRequest, call: CallOptions = {}) =>
      http.json<{ run: Run }>('/assets/bulk', {
        ...call,
        method: 'POST',
        json: request,
        hasTimeout: false,
      }),
  };
}

/** What to do with all assets of a selection; `force` also moves what pages use to the bin. */
export interface BulkActionRequest {
  select: AssetSelection;
  action: 'bin' | 'restore' | 'purge';
  force?: boolean;
}

/** A rehearsal of an action. */
export interface BulkActionPlan {
  /** The first 200 that would stay where they are. */
  blocked: { asset: string; name: string; message: string }[];
  totals: { selected: number; changed: number; blocked: number };
}

/** Search results, and data of an asset. */
function findingCalls(http: Http, list: ListCall) {
  return {
    facets: (query: { q?: string; folder?: string; deep?: boolean } = {}, call: CallOptions = {}) =>
      http.json<Facets>('/assets/facets', { ...call, query }),
    /** Groups with the same bytes, or of similar pictures up to a distance in bits. */
    duplicates: (query: { by?: 'bytes' | 'look'; distance?: number } = {}, call: CallOptions = {}) =>
      http.json<{ groups: Asset[][] }>('/assets/duplicates', { ...call, query }),
    /** The original's bytes, as a streaming response. */
    content: (id: string, call: CallOptions = {}) =>
      http.send(`/assets/${id}/content`, { ...call, hasTimeout: false }),
    renditions: (id: string, call: CallOptions = {}) =>
      list<AssetRendition>(`/assets/${id}/renditions`, {}, call),
    versions: (id: string, call: CallOptions = {}) => list<Version>(`/assets/${id}/versions`, {}, call),
    events: (id: string, query: Paging = {}, call: CallOptions = {}) =>
      list<HistoryEvent>(`/assets/${id}/events`, query, call),
  };
}

/** Saved filters. */
export function filterCalls(http: Http, list: ListCall) {
  return {
    list: (call: CallOptions = {}) => list<SavedFilter>('/filters', {}, call),
    save: (filter: { name: string; q: string }, call: CallOptions = {}) =>
      http.json<SavedFilter>('/filters', { ...call, method: 'POST', json: filter }),
    remove: (id: string, call: CallOptions = {}) =>
      http.json<void>(`/filters/${id}`, { ...call, method: 'DELETE' }),
  };
}

/** The bin. */
export function binCalls(http: Http) {
  return {
    list: (query: Paging = {}, call: CallOptions = {}) =>
      http.json<Page<BinnedAsset> & { bytes: number }>('/bin', { ...call, query }),
    /** Permanently deletes the bin's assets; with `days`, only those deleted at least that long ago. */
    empty: (options: { olderThanDays?: number | null } = {}, call: CallOptions = {}) =>
      http.json<{ run: Run }>('/bin/empty', { ...call, method: 'POST', json: options }),
  };
}
