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
  /** Its address in the store; null when nobody can read it there. */
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
