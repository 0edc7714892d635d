import type {
  ApiKey,
  Asset,
  AssetRendition,
  AssetSort,
  AssetTexts,
  Flow,
  FocalPoint,
  Folder,
  FolderRules,
  HistoryEvent,
  Intake,
  IntakeFile,
  ItemState,
  Me,
  Page,
  Recipe,
  RecipeAnswer,
  RenditionState,
  Right,
  RulesAnswer,
  Run,
  RunItem,
  RunState,
  Verdict,
} from '@uniferum/core';
import { type CallOptions, type ClientOptions, Http } from './http.js';
import { PagedList } from './paging.js';
import { type UploadRequest, type UploadResult, uploadFiles } from './upload.js';

export interface Paging {
  /** How many items a page has. @defaultValue 60 */
  limit?: number;
  cursor?: string;
}

export interface AssetQuery extends Paging {
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
  createdAt: string;
}

export interface RebuildRequest {
  recipes?: string[];
  only: 'missing' | 'outdated' | 'all';
}

export interface RebuildPlan {
  items: { asset: string; name: string; recipe: string; state: RenditionState }[];
  totals: { renditions: number; assets: number };
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
      /** The original's bytes, as a response that streams. */
      content: (id: string, call: CallOptions = {}) =>
        http.send(`/assets/${id}/content`, { ...call, hasTimeout: false }),
      renditions: (id: string, call: CallOptions = {}) =>
        list<AssetRendition>(`/assets/${id}/renditions`, {}, call),
      versions: (id: string, call: CallOptions = {}) => list<Version>(`/assets/${id}/versions`, {}, call),
      events: (id: string, query: Paging = {}, call: CallOptions = {}) =>
        list<HistoryEvent>(`/assets/${id}/events`, query, call),
    },
    intakes: {
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
    recipes: {
      list: (call: CallOptions = {}) => list<RecipeAnswer>('/recipes', {}, call),
      get: (name: string, call: CallOptions = {}) => http.json<RecipeAnswer>(`/recipes/${name}`, call),
      make: (
        recipe: Partial<Omit<Recipe, 'revision'>> & Pick<Recipe, 'name' | 'title' | 'steps'>,
        call: CallOptions = {},
      ) => http.json<RecipeAnswer>('/recipes', { ...call, method: 'POST', json: recipe }),
      put: (
        name: string,
        recipe: Partial<Omit<Recipe, 'revision' | 'name'>> & Pick<Recipe, 'title' | 'steps'>,
        call: CallOptions = {},
      ) => http.json<RecipeAnswer>(`/recipes/${name}`, { ...call, method: 'PUT', json: recipe }),
      remove: (name: string, call: CallOptions = {}) =>
        http.json<void>(`/recipes/${name}`, { ...call, method: 'DELETE' }),
      /** Lists what a rebuild would make, and changes nothing. */
      rehearseRebuild: (request: RebuildRequest, call: CallOptions = {}) =>
        http.json<{ plan: RebuildPlan }>('/recipes/rebuild', {
          ...call,
          method: 'POST',
          json: request,
          query: { rehearse: true },
        }),
      rebuild: (request: RebuildRequest, call: CallOptions = {}) =>
        http.json<{ run: Run }>('/recipes/rebuild', { ...call, method: 'POST', json: request }),
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
      /** Waits until a run has ended or was stopped. */
      wait: (id: string, wait: WaitOptions = {}) => waitForRun(http, id, wait),
    },
    /** The map of the whole: true counts at each joint. */
    flow: (call: CallOptions = {}) => http.json<Flow>('/flow', call),
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
