import type { AuditReason } from './audit.js';
import type { CopyState } from './copy.js';

/** One copy in the answer of `GET /assets/{id}/copies`. */
export interface CopyAnswer {
  store: string;
  /** Null for an original. */
  rendition: string | null;
  /** The version of the original; null for a rendition. */
  version: number | null;
  state: CopyState;
  bytes: number;
  /** Null on a disk. */
  bucket: string | null;
  key: string;
  region: string | null;
  /** Who can read it without Uniferum. */
  access: 'public' | 'private';
  /** Its address in the store; null when nobody can, or is to, read it there: an original with withheld metadata, say. */
  url: string | null;
  /** When it was stored or last verified. */
  checkedAt: string | null;
  /** Why it is not stored. */
  error: string | null;
}

/** A store in the answers of `GET /stores`. */
export interface StoreAnswer {
  id: string;
  name: string;
  kind: 'disk' | 'bucket';
  /** The connection it uses; null for the home store. */
  connection: { id: string; name: string } | null;
  bucket: string | null;
  region: string | null;
  prefix: string | null;
  publicUrl: string | null;
  isHome: boolean;
  /** Good copies, and their bytes. */
  copies: number;
  bytes: number;
  /** Copies to store and to delete. */
  waiting: number;
  damaged: number;
  /** How often it is audited, in days; null for never. */
  auditDays: number | null;
  auditedAt: string | null;
}

/** One asset in a rehearsal of adding or dropping copies. */
export interface CopyPlanItem {
  asset: string;
  name: string;
  folder: string;
  /** Files whose copies are added, dropped or fetched. */
  files: number;
  bytes: number;
  /** Why files are left out; null when none is. */
  note: string | null;
}

export interface CopyPlanAnswer {
  items: CopyPlanItem[];
  totals: { assets: number; files: number; bytes: number; refused: number };
}

/** One thing that an audit found. */
export interface FindingAnswer {
  id: string;
  key: string;
  reason: AuditReason;
  /** Null for what no record explains. */
  asset: { id: string; name: string } | null;
  /** The bytes that are stored, or should be. */
  bytes: number | null;
  foundAt: string;
}

/** The answer of `GET /stores/{id}/audit`: the latest audit and what is left of its findings. */
export interface AuditAnswer {
  items: FindingAnswer[];
  total: number;
  next: string | null;
  auditedAt: string | null;
  /** How many there are by reason. */
  reasons: Record<AuditReason, number>;
}

/** What a repair does about a finding. */
export interface RepairPlanItem {
  key: string;
  reason: AuditReason;
  asset: { id: string; name: string } | null;
  /** `store`: from a good copy; `delete`; `nothing`: there is no good copy, or it isn't to be deleted. */
  action: 'store' | 'delete' | 'nothing';
}
