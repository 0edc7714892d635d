import type { Intake, IntakeFile, Verdict } from '@uniferum/core/intake';
import type { MetadataMapping, Page } from '@uniferum/core/library';
import type { CallOptions, Http } from './http.js';
import type { ListCall, Paging } from './paging.js';
import type { BatchAnswer, InboxFile, InboxRequest, ManifestRehearsal, ManifestRequest } from './types.js';
import { sendArchive } from './upload.js';

/** Files on the server's own disk. */
export function inboxCalls(http: Http) {
  return {
    /** Lists the inbox, and what importing its files into a folder would give. */
    list: (query: { folder?: string; keepFolders?: boolean } = {}, call: CallOptions = {}) =>
      http.json<Page<InboxFile>>('/inbox', { ...call, query, hasTimeout: false }),
    rehearse: (request: InboxRequest = {}, call: CallOptions = {}) =>
      http.json<{ plan: { items: InboxFile[]; totals: { taken: number; bytes: number; left: number } } }>(
        '/inbox/register',
        { ...call, method: 'POST', json: request, query: { rehearse: true }, hasTimeout: false },
      ),
    /** Starts an import. Both are null when there was nothing new. */
    register: (request: InboxRequest = {}, call: CallOptions = {}) =>
      http.json<BatchAnswer | { intake: null; run: null }>('/inbox/register', {
        ...call,
        method: 'POST',
        json: request,
        hasTimeout: false,
      }),
  };
}

/** Settings of the installation. */
export function settingCalls(http: Http) {
  return {
    /** The metadata mapping: which Exif, IPTC and XMP fields fill which texts. */
    metadata: (call: CallOptions = {}) => http.json<MetadataMapping>('/settings/metadata', call),
    putMetadata: (mapping: MetadataMapping, call: CallOptions = {}) =>
      http.json<MetadataMapping>('/settings/metadata', { ...call, method: 'PUT', json: mapping }),
  };
}

/** Intakes: batches of imported files. */
export function intakeCalls(http: Http, list: ListCall) {
  return {
    /** Imports a list of URLs or data URIs. */
    addresses: (request: { folder: string; addresses: string[] }, call: CallOptions = {}) =>
      http.json<BatchAnswer>('/intake/addresses', { ...call, method: 'POST', json: request }),
    /** Plans the import of a manifest, row by row; changes nothing. */
    rehearseManifest: (request: ManifestRequest, call: CallOptions = {}) =>
      http.json<{ plan: ManifestRehearsal }>('/intake/manifest', {
        ...call,
        method: 'POST',
        json: request,
        query: { rehearse: true },
        hasTimeout: false,
      }),
    manifest: (request: ManifestRequest, call: CallOptions = {}) =>
      http.json<BatchAnswer>('/intake/manifest', {
        ...call,
        method: 'POST',
        json: request,
        hasTimeout: false,
      }),
    /** Uploads a zip archive, which is unpacked on arrival. */
    archive: (
      request: { name: string; data: Blob; folder: string; ownFolder?: boolean },
      call: CallOptions = {},
    ) => sendArchive(http, request, call),
    /** The URL of the complete report, as a table or JSON. */
    reportUrl: (id: string, format: 'csv' | 'json' = 'csv') => http.url(`/intakes/${id}/report`, { format }),
    report: (id: string, format: 'csv' | 'json' = 'csv', call: CallOptions = {}) =>
      http.send(`/intakes/${id}/report`, { ...call, query: { format }, hasTimeout: false }),
    /** Judges files by name and size; stores nothing. */
    check: (
      request: { folder: string; files: { name: string; bytes: number; mime?: string | null }[] },
      call: CallOptions = {},
    ) => http.json<{ verdicts: Verdict[] }>('/intake/check', { ...call, method: 'POST', json: request }),
    /** Judges files by name and size, and records the refused ones in an intake. */
    checkIn: (
      id: string,
      request: { folder: string; files: { name: string; bytes: number; mime?: string | null }[] },
      call: CallOptions = {},
    ) =>
      http.json<{ verdicts: Verdict[] }>(`/intakes/${id}/check`, { ...call, method: 'POST', json: request }),
    begin: (folder: string, call: CallOptions = {}) =>
      http.json<Intake>('/intakes', { ...call, method: 'POST', json: { folder } }),
    list: (query: Paging = {}, call: CallOptions = {}) => list<Intake>('/intakes', query, call),
    get: (id: string, call: CallOptions = {}) => http.json<Intake>(`/intakes/${id}`, call),
    files: (id: string, query: Paging = {}, call: CallOptions = {}) =>
      list<IntakeFile>(`/intakes/${id}/files`, query, call),
  };
}
