import type { Outcome } from '../intake/verdict.js';
import type { Kind } from '../library/kinds.js';
import type { RenditionState } from '../recipes/recipe.js';

export interface Amount {
  items: number;
  bytes: number;
}

/** What the map of the whole shows: true counts at each joint, from sources to stores. */
export interface Flow {
  /** Accepted files by the way they came. */
  sources: { via: 'console' | 'api'; amount: Amount }[];
  verdicts: Record<Outcome, number>;
  library: Amount;
  kinds: { kind: Kind; amount: Amount }[];
  folders: number;
  ruledFolders: number;
  recipes: { name: string; title: string; states: Record<RenditionState, number>; bytes: number }[];
  stores: { store: string; amount: Amount }[];
  runs: { active: number; faulty: number };
}
