import type {
  AuditAnswer,
  AuditMode,
  AuditReason,
  CopyAnswer,
  CopyPlanAnswer,
  FolderPlacement,
  FolderPlacementAnswer,
  HistoryDays,
  PlacingEstimate,
  RepairPlanItem,
  StoreAnswer,
  StoreHistoryAnswer,
  StorePrices,
} from '@uniferum/core/copies';
import type { Run } from '@uniferum/core/runs';
import type { CallOptions, Http } from './http.js';
import type { ListCall, Paging } from './paging.js';
import type { AssetSelection } from './types.js';

/** A store to add: a bucket of a connection that is to hold copies. */
export interface NewStore {
  name: string;
  /** The id of a connection to a bucket. */
  connection: string;
  /** The base address of a content network; null takes the connection's public address. */
  publicUrl?: string | null;
  /** Audits it after so many days; null for never. */
  auditDays?: number | null;
}

/** A wish for the copies of selected assets. */
export interface CopyChange {
  select: AssetSelection;
  /** The store's name. */
  store: string;
  /** `fetch` brings files back to the home store, from whichever store has them. */
  action: 'add' | 'drop' | 'fetch';
}

/** A link that expires. */
export interface LinkAnswer {
  id: string;
  /** Null for the original. */
  rendition: string | null;
  expiresAt: string;
  maxDownloads: number | null;
  downloads: number;
  madeBy: string;
  createdAt: string;
}

/**
 * A placement to set: without `serveFrom`, visitors are served from here; without `keepLocal`, files stay
 * here; without `rewritePages`, pages keep their addresses.
 */
export type GivenPlacement = Pick<FolderPlacement, 'stores'> & Partial<FolderPlacement>;

type RepairPlan = { items: RepairPlanItem[]; totals: Record<RepairPlanItem['action'], number> };

/** Stores, and what audits find in them. The home store has the id `home`. */
export function storeCalls(http: Http, list: ListCall) {
  return {
    list: (call: CallOptions = {}) => list<StoreAnswer>('/stores', {}, call),
    get: (id: string, call: CallOptions = {}) => http.json<StoreAnswer>(`/stores/${id}`, call),
    add: (store: NewStore, call: CallOptions = {}) =>
      http.json<StoreAnswer>('/stores', { ...call, method: 'POST', json: store }),
    change: (id: string, patch: Partial<Omit<NewStore, 'connection'>>, call: CallOptions = {}) =>
      http.json<StoreAnswer>(`/stores/${id}`, { ...call, method: 'PATCH', json: patch }),
    /** Deletes a store that holds no copies. */
    remove: (id: string, call: CallOptions = {}) =>
      http.json<void>(`/stores/${id}`, { ...call, method: 'DELETE' }),
    /** What it held over the last 1, 14 or 365 days, and what was sent to it. */
    history: (id: string, days: HistoryDays = 14, call: CallOptions = {}) =>
      http.json<StoreHistoryAnswer>(`/stores/${id}/history`, { ...call, query: { days } }),
    /** Compares it with the library: by listing, reading a sample as well, or reading everything. */
    audit: (id: string, mode: AuditMode = 'list', call: CallOptions = {}) =>
      http.json<{ run: Run }>(`/stores/${id}/audit`, { ...call, method: 'POST', json: { mode } }),
    /** What the latest audit found and nobody has repaired yet. */
    findings: (id: string, query: Paging & { reason?: AuditReason } = {}, call: CallOptions = {}) =>
      http.json<AuditAnswer>(`/stores/${id}/audit`, { ...call, query }),
    /** Stores missing and damaged copies again; surplus is deleted only when it is named. */
    repair: (id: string, reasons?: AuditReason[], call: CallOptions = {}) =>
      http.json<{ run: Run }>(`/stores/${id}/repair`, { ...call, method: 'POST', json: { reasons } }),
    rehearseRepair: (id: string, reasons?: AuditReason[], call: CallOptions = {}) =>
      http.json<{ plan: RepairPlan }>(`/stores/${id}/repair`, {
        ...call,
        method: 'POST',
        json: { reasons },
        query: { rehearse: true },
      }),
  };
}

/** Copies of assets, where folders place them, and links to private files. */
export function copyCalls(http: Http, list: ListCall) {
  return {
    /** The copies of an asset's versions and renditions in all stores. */
    of: (asset: string, call: CallOptions = {}) => list<CopyAnswer>(`/assets/${asset}/copies`, {}, call),
    change: (change: CopyChange, call: CallOptions = {}) =>
      http.json<{ run: Run }>('/copies', { ...call, method: 'POST', json: change }),
    /** What that would do; changes nothing. */
    rehearse: (change: CopyChange, call: CallOptions = {}) =>
      http.json<{ plan: CopyPlanAnswer }>('/copies', {
        ...call,
        method: 'POST',
        json: change,
        query: { rehearse: true },
      }),
    placement: (folder: string, call: CallOptions = {}) =>
      http.json<FolderPlacementAnswer>(`/folders/${folder}/placement`, call),
    /** Sets the stores that hold copies of a folder's files; null takes what holds above it. */
    place: (folder: string, placement: GivenPlacement | null, call: CallOptions = {}) =>
      http.json<{ placement: FolderPlacementAnswer; run: string | null }>(`/folders/${folder}/placement`, {
        ...call,
        method: 'PUT',
        json: placement,
      }),
    /** What setting a placement would store, how long it would take, and what it would cost; changes nothing. */
    rehearsePlace: (
      folder: string,
      placement: GivenPlacement | null,
      prices: Partial<StorePrices> = {},
      call: CallOptions = {},
    ) =>
      http.json<{ plan: PlacingEstimate }>(`/folders/${folder}/placement`, {
        ...call,
        method: 'PUT',
        json: placement,
        query: { rehearse: true, ...prices },
      }),
    links: (asset: string, call: CallOptions = {}) => list<LinkAnswer>(`/assets/${asset}/links`, {}, call),
    /** Creates an address at which anybody may read a file until it expires; it is shown only now. */
    link: (
      asset: string,
      link: { expiresIn?: number; maxDownloads?: number | null; rendition?: string | null } = {},
      call: CallOptions = {},
    ) =>
      http.json<LinkAnswer & { url: string }>(`/assets/${asset}/links`, {
        ...call,
        method: 'POST',
        json: link,
      }),
    removeLink: (asset: string, link: string, call: CallOptions = {}) =>
      http.json<void>(`/assets/${asset}/links/${link}`, { ...call, method: 'DELETE' }),
  };
}
