import type { Flow } from '@uniferum/core/flow';
import type { Page } from '@uniferum/core/library';
import { keyCalls, pickerTokenCalls, sessionCalls, uploadTokenCalls } from './access.js';
import { assetCalls, binCalls, filterCalls } from './assets.js';
import { connectionCalls } from './connections.js';
import { type EventOptions, listenTo } from './events.js';
import { folderCalls } from './folders.js';
import { type CallOptions, type ClientOptions, Http } from './http.js';
import { inboxCalls, intakeCalls, settingCalls } from './intakes.js';
import { referenceCalls, rewriteCalls, sourceCalls } from './pages.js';
import { type ListCall, PagedList } from './paging.js';
import { recipeCalls, renditionCalls } from './recipes.js';
import { runCalls, workerCalls } from './runs.js';
import { siteAssetCalls } from './site-assets.js';
import { pageTypeCalls, sitePageCalls } from './site-pages.js';
import { copyCalls, storeCalls } from './stores.js';

/**
 * What the calls of a resource need. A page that uses a single resource can do without the others:
 *
 * @example
 * const { http, list } = connect({ baseUrl: 'https://media.skerry.example', key: token });
 * const [sent] = await assetCalls(http, list).upload({ folder: '/letters', files: [file] });
 */
export function connect(options: ClientOptions = {}): { http: Http; list: ListCall } {
  const http = new Http(options);
  const list: ListCall = <Item>(path: string, query: object, call: CallOptions) =>
    new PagedList<Item>((cursor) =>
      http.json<Page<Item>>(path, { ...call, query: { ...query, ...(cursor !== undefined && { cursor }) } }),
    );
  return { http, list };
}

/** A client of one installation: a group of calls for each room. */
export type UniferumClient = ReturnType<typeof createClient>;

/**
 * Creates a client.
 *
 * @example
 * const uniferum = createClient({ baseUrl: 'http://127.0.0.1:4280', key: process.env.UNIFERUM_KEY });
 * for await (const asset of uniferum.assets.list({ folder: '/lights', deep: true })) console.log(asset.url);
 */
export function createClient(options: ClientOptions = {}) {
  const { http, list } = connect(options);
  return {
    session: sessionCalls(http),
    keys: keyCalls(http, list),
    pickerTokens: pickerTokenCalls(http),
    uploadTokens: uploadTokenCalls(http),
    folders: folderCalls(http, list),
    assets: assetCalls(http, list),
    filters: filterCalls(http, list),
    bin: binCalls(http),
    inbox: inboxCalls(http),
    settings: settingCalls(http),
    intakes: intakeCalls(http, list),
    pages: sitePageCalls(http, list),
    pageTypes: pageTypeCalls(http, list),
    sources: sourceCalls(http, list),
    siteAssets: siteAssetCalls(http, list),
    references: referenceCalls(http, list),
    rewrites: rewriteCalls(http),
    connections: connectionCalls(http, list),
    stores: storeCalls(http, list),
    copies: copyCalls(http, list),
    recipes: recipeCalls(http, list),
    renditions: renditionCalls(http),
    workers: workerCalls(http),
    runs: runCalls(http, list),
    /** The flow map: accurate counts at each joint. */
    flow: (call: CallOptions = {}) => http.json<Flow>('/flow', call),
    /** Sends any API request, for routes without a call of their own; `path` is below `/api/v1`. */
    call: <Answer = unknown>(
      method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE',
      path: string,
      json?: unknown,
      call: CallOptions = {},
    ) => http.json<Answer>(path, { ...call, method, ...(json !== undefined && { json }) }),
    /** The live stream as an endless iterator, which reconnects without missing an event. */
    events: (options: EventOptions = {}) => listenTo(http, options),
    /** The URL of the live stream, for an EventSource. */
    eventsUrl: () => http.url('/events'),
  };
}
