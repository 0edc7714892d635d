/** A place where pages come from. */
export interface PageSourceAnswer {
  id: string;
  kind: 'folder';
  name: string;
  settings: { path: string; url: string | null; writable: boolean };
  /** Whether addresses in it can be rewritten. */
  writable: boolean;
  documents: number;
  references: number;
  broken: number;
  indexedAt: string | null;
}

/** A place on a page where an asset is used. */
export interface Use {
  source: string;
  /** The path of the document within its source. */
  document: string;
  title: string | null;
  url: string | null;
  /** As written. */
  address: string;
  attribute: string;
  /** Null for the original. */
  recipe: string | null;
  /** Null: the current version, whichever that is. */
  version: number | null;
  offset: number;
}

/** Why a reference is broken: nothing is or was there; the asset is in the bin; there is no such recipe. */
export const BROKEN_REASONS = ['unknown', 'in-bin', 'no-recipe'] as const;
export type BrokenReason = (typeof BROKEN_REASONS)[number];

/** An address on a page. */
export interface PageReference extends Use {
  id: string;
  asset: string | null;
  reason: BrokenReason | null;
  /** Where it could lead instead; null without a proposal. */
  fix: { address: string; by: 'original' | 'same-name' } | null;
}

/** One step of the test of a source. */
export interface TestStep {
  name: string;
  ok: boolean;
  message: string;
}
