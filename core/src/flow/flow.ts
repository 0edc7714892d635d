import type { IntakeWay } from '../intake/batch.js';
import type { Outcome } from '../intake/verdict.js';
import type { Kind } from '../library/kinds.js';
import type { RenditionState } from '../recipes/recipe.js';

/** Where files come from, as shown on the map. */
export const FLOW_SOURCES = ['console', 'script', 'archive', 'inbox', 'address', 'manifest', 'link'] as const;
export type FlowSource = (typeof FLOW_SOURCES)[number];

/** The source that a batch counts towards: uploads by sender, everything else by its way in. */
export function flowSource(way: IntakeWay, via: 'console' | 'api'): FlowSource {
  if (way === 'upload' || way === 'resumable') return via === 'console' ? 'console' : 'script';
  return way;
}

export interface Amount {
  items: number;
  bytes: number;
}

/** The data of the flow map: accurate counts at each joint, from sources to stores. */
export interface Flow {
  /** Accepted files by source. */
  sources: { from: FlowSource; amount: Amount }[];
  verdicts: Record<Outcome, number>;
  library: Amount;
  kinds: { kind: Kind; amount: Amount }[];
  folders: number;
  ruledFolders: number;
  recipes: { name: string; title: string; states: Record<RenditionState, number>; bytes: number }[];
  stores: { store: string; amount: Amount }[];
  /** The stores that hold copies besides; `waiting` are still to be stored or deleted there. */
  copies: { store: string; amount: Amount; waiting: number; damaged: number }[];
  /** The indexed documents of sites. */
  pages: { documents: number; references: number; broken: number };
  runs: { active: number; faulty: number };
}
