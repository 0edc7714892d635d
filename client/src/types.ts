import type { Intake, ManifestFault, ManifestMapping, ManifestRow, Verdict } from '@uniferum/core/intake';
import type { Asset, AssetTexts, BulkChange } from '@uniferum/core/library';
import type { Run } from '@uniferum/core/runs';

/** The assets of a bulk job: these, or all results of a filter. */
export type AssetSelection = { ids: string[] } | { q?: string; folder?: string; deep?: boolean };

/** The plan of a bulk edit. */
export interface BulkPlan {
  items: {
    asset: string;
    name: string;
    folder: string;
    before: Record<string, unknown>;
    after: Record<string, unknown>;
  }[];
  /** The first that rules would not allow to be changed; they are left as they are. */
  blocked: { asset: string; name: string; message: string }[];
  totals: {
    selected: number;
    /** Including those that are blocked. */
    changed: number;
    hasOne: number;
    noDate: number;
    dateLimit: number;
    same: number;
    blocked: number;
  };
}

export interface BulkRequest {
  select: AssetSelection;
  change: BulkChange;
}

/** A file by URL: downloaded, or kept as a link with its provider's description. */
export interface SourceRequest extends Partial<AssetTexts> {
  /** An http(s) URL or a data URI. */
  source: string;
  folder?: string;
  name?: string | null;
  /** False: a file whose name is taken is refused. @defaultValue true */
  rename?: boolean;
  as?: 'file' | 'link';
}

/** A batch, and the run that processes it. */
export interface BatchAnswer {
  intake: Intake;
  run: Run;
}

export type InboxState = 'new' | 'refused' | 'registered' | 'coming' | 'writing';

export interface InboxFile {
  path: string;
  name: string;
  bytes: number;
  modifiedAt: string;
  folder: string;
  state: InboxState;
  verdict: Verdict | null;
  registeredAs: { id: string; url: string } | null;
}

export interface InboxRequest {
  /** Null imports everything new. */
  paths?: string[] | null;
  mode?: 'copy' | 'move' | 'place';
  folder?: string;
  keepFolders?: boolean;
}

export interface ManifestRequest {
  /** CSV with a header, or a JSON list of objects. */
  content: string;
  folder?: string;
  label?: string | null;
  mapping?: ManifestMapping | null;
}

export interface ManifestRehearsal {
  items: ManifestRow[];
  totals: { rows: number; taken: number; faults: number };
  columns: string[];
  mapping: ManifestMapping;
  faults: ManifestFault[];
}

export interface FacetCount {
  name: string;
  items: number;
}

export interface Facets {
  kinds: FacetCount[];
  types: FacetCount[];
  keywords: FacetCount[];
  credits: FacetCount[];
  /** By month, `2025-06`, in chronological order. */
  captured: FacetCount[];
}

export interface SavedFilter {
  id: string;
  name: string;
  q: string;
  by: string;
  createdAt: string;
}

export type BinnedAsset = Asset & { deletedAt: string };

/** The impact of changed rules. */
export interface RulesPlan {
  items: { asset: string; name: string; folder: string; verdict: Verdict }[];
  totals: { present: number; outside: number; outsideNow: number; byCode: Record<string, number> };
}
