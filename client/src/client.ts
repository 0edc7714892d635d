import type {
  ApiKey,
  Asset,
  AssetRendition,
  AssetSort,
  AssetTexts,
  FailureGroup,
  Flow,
  FocalPoint,
  Folder,
  FolderRules,
  HistoryEvent,
  Intake,
  IntakeFile,
  ItemState,
  Me,
  MetadataMapping,
  Page,
  Right,
  RulesAnswer,
  Run,
  RunItem,
  RunState,
  Verdict,
  WorkersAnswer,
} from '@uniferum/core';
import { type CallOptions, type ClientOptions, Http } from './http.js';
import { PagedList } from './paging.js';
import { recipeCalls, renditionCalls } from './recipes.js';
import { type ResumableResult, type ResumableUpload, uploadResumably } from './resumable.js';
import type {
  AssetSelection,
  BatchAnswer,
  BinnedAsset,
  BulkPlan,
  BulkRequest,
  Facets,
  InboxFile,
  InboxRequest,
  ManifestRehearsal,
  ManifestRequest,
  RulesPlan,
  SavedFilter,
  SourceRequest,
} from './types.js';
import { sendArchive, type UploadRequest, type UploadResult, uploadFiles } from './upload.js';

export interface Paging {
  /** How many items a page has. @defaultValue 60 */
  limit?: number;
  cursor?: string;
}

export interface AssetQuery extends Paging {
  /** The filter language: `kind:image size>2mb alt:none`. */
  q?: string;
  folder?: string;
  /** With all folders below it. */
  deep?: boolean;
  sort?: AssetSort;
}

export interface AssetPatch extends Partial<AssetTexts> {
  name?: string;
  folder?: string;
  capturedAt?: string | null;
  focal?: FocalPoint | null;
}

export interface Version {
  n: number;
  sha256: string;
  bytes: number;
  mime: string;
  width: number | null;
  height: number | null;
  by: string;
  /** The version that it brought back. */
  restoredFrom: number | null;
  /** The version of which it is a smaller file. */
  optimisedFrom: number | null;
  /** Its bytes. */
  url: string;
  createdAt: string;
}

export interface WaitOptions extends CallOptions {
  onProgress?: (run: Run) => void;
  /** @defaultValue 300 */
  pollMs?: number;
}

/** A client of one Uniferum: a group of calls for each room. */
export type UniferumClient = ReturnType<typeof createClient>;

/**
 * Makes a client.
 *
 * @example
 * const uniferum = createClient({ baseUrl: 'http://127.0.0.1:4280', key: process.env.UNIFERUM_KEY });
 * for await (const asset of uniferum.assets.list({ folder: '/lights', deep: true })) console.log(asset.url);
 */
export function createClient(options: ClientOptions = {}) {
  const http = new Http(options);
  const list = <Item>(path: string, query: Paging & object, call: CallOptions) =>
    new PagedList<Item>((cursor) =>
      http.json<Page<Item>>(path, { ...call, query: { ...query, ...(cursor !== undefined && { cursor }) } }),
    );
  return {
    session: {
      signIn: (credentials: { email: string; password: string }, call: CallOptions = {}) =>
        http.json<void>('/session', { ...call, method: 'POST', json: credentials }),
      signOut: (call: CallOptions = {}) => http.json<void>('/session', { ...call, method: 'DELETE' }),
      /** Who I am, and my rights. */
      me: (call: CallOptions = {}) => http.json<Me>('/me', call),
    },
    keys: {
      list: (call: CallOptions = {}) => list<ApiKey>('/keys', {}, call),
      /** The secret is in this answer and nowhere else. */
      make: (key: { name: string; rights: Right[] }, call: CallOptions = {}) =>
        http.json<ApiKey & { secret: string }>('/keys', { ...call, method: 'POST', json: key }),
      revoke: (id: string, call: CallOptions = {}) =>
        http.json<void>(`/keys/${id}`, { ...call, method: 'DELETE' }),
    },
    folders: {
      list: (query: Paging & { within?: string } = {}, call: CallOptions = {}) =>
        list<Folder>('/folders', query, call),
      get: (id: string, call: CallOptions = {}) => http.json<Folder>(`/folders/${id}`, call),
      make: (path: string, call: CallOptions = {}) =>
        http.json<Folder>('/folders', { ...call, method: 'POST', json: { path } }),
      change: (
        id: string,
        patch: { name?: string; parent?: string; colour?: string | null },
        call: CallOptions = {},
      ) => http.json<Folder>(`/folders/${id}`, { ...call, method: 'PATCH', json: patch }),
      remove: (id: string, call: CallOptions = {}) =>
        http.json<void>(`/folders/${id}`, { ...call, method: 'DELETE' }),
      rules: (id: string, call: CallOptions = {}) => http.json<RulesAnswer>(`/folders/${id}/rules`, call),
      /** Replaces the folder's own rules; what is absent is not set. */
      putRules: (id: string, rules: Partial<FolderRules>, call: CallOptions = {}) =>
        http.json<RulesAnswer>(`/folders/${id}/rules`, { ...call, method: 'PUT', json: rules }),
      /** Counts the present files that new rules would put outside, and changes nothing. */
      rehearseRules: (id: string, rules: Partial<FolderRules>, call: CallOptions = {}) =>
        http.json<{ plan: RulesPlan }>(`/folders/${id}/rules`, {
          ...call,
          method: 'PUT',
          json: rules,
          query: { rehearse: true },
        }),
    },
    assets: {
      list: (query: AssetQuery = {}, call: CallOptions = {}) => list<Asset>('/assets', query, call),
      get: (id: string, call: CallOptions = {}) => http.json<Asset>(`/assets/${id}`, call),
      change: (id: string, patch: AssetPatch, call: CallOptions = {}) =>
        http.json<Asset>(`/assets/${id}`, { ...call, method: 'PATCH', json: patch }),
      /** Puts it into the bin. */
      remove: (id: string, call: CallOptions = {}) =>
        http.json<void>(`/assets/${id}`, { ...call, method: 'DELETE' }),
      restore: (id: string, call: CallOptions = {}) =>
        http.json<Asset>(`/assets/${id}/restore`, { ...call, method: 'POST' }),
      /** Sends files in one request, in their order. */
      upload: (request: UploadRequest): Promise<UploadResult[]> => uploadFiles(http, request),
      /** Sends one file in pieces: it goes on after a broken connection or a reload. */
      uploadResumably: (upload: ResumableUpload): Promise<ResumableResult> => uploadResumably(http, upload),
      /** Takes a file in by its address, or keeps a link to media elsewhere. */
      fetch: (request: SourceRequest, call: CallOptions = {}) =>
        http.json<Asset>('/assets', { ...call, method: 'POST', json: request, hasTimeout: false }),
      /** Replaces the bytes at the same address. */
      replace: (id: string, data: Blob, call: CallOptions = {}) =>
        http.json<Asset>(`/assets/${id}/content`, {
          ...call,
          method: 'PUT',
          body: data,
          headers: { 'Content-Type': 'application/octet-stream' },
          hasTimeout: false,
        }),
      restoreVersion: (id: string, n: number, call: CallOptions = {}) =>
        http.json<Asset>(`/assets/${id}/versions/${n}/restore`, { ...call, method: 'POST' }),
      /** Lists what a bulk edit would change, and changes nothing. */
      rehearseEdit: (request: BulkRequest, call: CallOptions = {}) =>
        http.json<{ plan: BulkPlan }>('/assets/bulk', {
          ...call,
          method: 'POST',
          json: request,
          query: { rehearse: true },
          hasTimeout: false,
        }),
      /** Edits all assets of a selection, as a run that can be taken back. */
      edit: (request: BulkRequest, call: CallOptions = {}) =>
        http.json<{ run: Run }>('/assets/bulk', {
          ...call,
          method: 'POST',
          json: request,
          hasTimeout: false,
        }),
      /** Bins, restores or purges all assets of a selection, as a run. */
      act: (
        request: { select: AssetSelection; action: 'bin' | 'restore' | 'purge' },
        call: CallOptions = {},
      ) =>
        http.json<{ run: Run }>('/assets/bulk', {
          ...call,
          method: 'POST',
          json: request,
          hasTimeout: false,
        }),
      facets: (query: { q?: string; folder?: string; deep?: boolean } = {}, call: CallOptions = {}) =>
        http.json<Facets>('/assets/facets', { ...call, query }),
      /** Groups with the same bytes, or of pictures that look alike up to a distance in bits. */
      duplicates: (query: { by?: 'bytes' | 'look'; distance?: number } = {}, call: CallOptions = {}) =>
        http.json<{ groups: Asset[][] }>('/assets/duplicates', { ...call, query }),
      /** The original's bytes, as a response that streams. */
      content: (id: string, call: CallOptions = {}) =>
        http.send(`/assets/${id}/content`, { ...call, hasTimeout: false }),
      renditions: (id: string, call: CallOptions = {}) =>
        list<AssetRendition>(`/assets/${id}/renditions`, {}, call),
      versions: (id: string, call: CallOptions = {}) => list<Version>(`/assets/${id}/versions`, {}, call),
      events: (id: string, query: Paging = {}, call: CallOptions = {}) =>
        list<HistoryEvent>(`/assets/${id}/events`, query, call),
    },
    filters: {
      list: (call: CallOptions = {}) => list<SavedFilter>('/filters', {}, call),
      save: (filter: { name: string; q: string }, call: CallOptions = {}) =>
        http.json<SavedFilter>('/filters', { ...call, method: 'POST', json: filter }),
      remove: (id: string, call: CallOptions = {}) =>
        http.json<void>(`/filters/${id}`, { ...call, method: 'DELETE' }),
    },
    bin: {
      list: (query: Paging = {}, call: CallOptions = {}) =>
        http.json<Page<BinnedAsset> & { bytes: number }>('/bin', { ...call, query }),
      /** Empties the bin for good; with days only what has been there for so long. */
      empty: (options: { olderThanDays?: number | null } = {}, call: CallOptions = {}) =>
        http.json<{ run: Run }>('/bin/empty', { ...call, method: 'POST', json: options }),
    },
    inbox: {
      /** What lies in the inbox, and what taking it into a folder would come to. */
      list: (query: { folder?: string; keepFolders?: boolean } = {}, call: CallOptions = {}) =>
        http.json<Page<InboxFile>>('/inbox', { ...call, query, hasTimeout: false }),
      rehearse: (request: InboxRequest = {}, call: CallOptions = {}) =>
        http.json<{ plan: { items: InboxFile[]; totals: { taken: number; bytes: number; left: number } } }>(
          '/inbox/register',
          { ...call, method: 'POST', json: request, query: { rehearse: true }, hasTimeout: false },
        ),
      /** Begins to take files in. Both are null when nothing was new. */
      register: (request: InboxRequest = {}, call: CallOptions = {}) =>
        http.json<BatchAnswer | { intake: null; run: null }>('/inbox/register', {
          ...call,
          method: 'POST',
          json: request,
          hasTimeout: false,
        }),
    },
    settings: {
      /** Which fields of Exif, IPTC and XMP fill which texts. */
      metadata: (call: CallOptions = {}) => http.json<MetadataMapping>('/settings/metadata', call),
      putMetadata: (mapping: MetadataMapping, call: CallOptions = {}) =>
        http.json<MetadataMapping>('/settings/metadata', { ...call, method: 'PUT', json: mapping }),
    },
    intakes: {
      /** Fetches a list of addresses or data URIs. */
      addresses: (request: { folder: string; addresses: string[] }, call: CallOptions = {}) =>
        http.json<BatchAnswer>('/intake/addresses', { ...call, method: 'POST', json: request }),
      /** Reads a manifest and says what each row would take in; changes nothing. */
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
      /** Sends a zip archive, which is unpacked on arrival. */
      archive: (
        request: { name: string; data: Blob; folder: string; ownFolder?: boolean },
        call: CallOptions = {},
      ) => sendArchive(http, request, call),
      /** The address of the whole report, as a table or JSON. */
      reportUrl: (id: string, format: 'csv' | 'json' = 'csv') =>
        http.url(`/intakes/${id}/report`, { format }),
      report: (id: string, format: 'csv' | 'json' = 'csv', call: CallOptions = {}) =>
        http.send(`/intakes/${id}/report`, { ...call, query: { format }, hasTimeout: false }),
      /** Judges files by name and size; nothing is kept. */
      check: (
        request: { folder: string; files: { name: string; bytes: number; mime?: string | null }[] },
        call: CallOptions = {},
      ) => http.json<{ verdicts: Verdict[] }>('/intake/check', { ...call, method: 'POST', json: request }),
      begin: (folder: string, call: CallOptions = {}) =>
        http.json<Intake>('/intakes', { ...call, method: 'POST', json: { folder } }),
      list: (query: Paging = {}, call: CallOptions = {}) => list<Intake>('/intakes', query, call),
      get: (id: string, call: CallOptions = {}) => http.json<Intake>(`/intakes/${id}`, call),
      files: (id: string, query: Paging = {}, call: CallOptions = {}) =>
        list<IntakeFile>(`/intakes/${id}/files`, query, call),
    },
    recipes: recipeCalls(http, list),
    renditions: renditionCalls(http),
    workers: {
      /** What the workers are and do, how much was done each minute, and what waits. */
      get: (query: { minutes?: number } = {}, call: CallOptions = {}) =>
        http.json<WorkersAnswer>('/workers', { ...call, query }),
      /** Failed items of all runs, grouped by why they failed. */
      failures: (call: CallOptions = {}) =>
        http.json<{ items: FailureGroup[]; total: number }>('/runs/failures', call),
      /** Tries all items again that failed for a reason. */
      retryFailures: (failure: Pick<FailureGroup, 'reason' | 'kind'>, call: CallOptions = {}) =>
        http.json<{ items: number; runs: number }>('/runs/failures/retry', {
          ...call,
          method: 'POST',
          json: failure,
        }),
    },
    runs: {
      list: (query: Paging & { state?: RunState } = {}, call: CallOptions = {}) =>
        list<Run>('/runs', query, call),
      get: (id: string, call: CallOptions = {}) => http.json<Run>(`/runs/${id}`, call),
      items: (id: string, query: Paging & { state?: ItemState } = {}, call: CallOptions = {}) =>
        list<RunItem>(`/runs/${id}/items`, query, call),
      stop: (id: string, call: CallOptions = {}) =>
        http.json<Run>(`/runs/${id}/stop`, { ...call, method: 'POST' }),
      resume: (id: string, call: CallOptions = {}) =>
        http.json<Run>(`/runs/${id}/resume`, { ...call, method: 'POST' }),
      retry: (id: string, call: CallOptions = {}) =>
        http.json<Run>(`/runs/${id}/retry`, { ...call, method: 'POST' }),
      /** Takes back what a bulk job changed; what was changed again since stays. */
      undo: (id: string, call: CallOptions = {}) =>
        http.json<{ run: Run }>(`/runs/${id}/undo`, { ...call, method: 'POST' }),
      /** Waits until a run has ended or was stopped. */
      wait: (id: string, wait: WaitOptions = {}) => waitForRun(http, id, wait),
    },
    /** The map of the whole: true counts at each joint. */
    flow: (call: CallOptions = {}) => http.json<Flow>('/flow', call),
    /** Any request of the API, for what has no call of its own; `path` is below `/api/v1`. */
    call: <Answer = unknown>(
      method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE',
      path: string,
      json?: unknown,
      call: CallOptions = {},
    ) => http.json<Answer>(path, { ...call, method, ...(json !== undefined && { json }) }),
    /** The address of the live stream, for an EventSource. */
    eventsUrl: () => http.url('/events'),
  };
}

async function waitForRun(
  http: Http,
  id: string,
  { signal, onProgress, pollMs = 300 }: WaitOptions,
): Promise<Run> {
  for (;;) {
    const run = await http.json<Run>(`/runs/${id}`, { ...(signal && { signal }) });
    onProgress?.(run);
    if (run.state !== 'waiting' && run.state !== 'working' && run.state !== 'stopping') return run;
    await new Promise((resolve) => setTimeout(resolve, pollMs));
    signal?.throwIfAborted();
  }
}
