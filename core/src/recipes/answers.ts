import type { StateReason } from './digest.js';
import type { RebuildEstimate } from './estimate.js';
import type { RenditionState } from './recipe.js';

/** One asset of the matrix: the state of each recipe that applies to it. */
export interface MatrixRow {
  asset: {
    id: string;
    name: string;
    folder: string;
    kind: string;
    placeholder: string | null;
    /** The address of a small picture of it. */
    preview: string | null;
  };
  /** By the recipe's name. */
  cells: Record<string, { state: RenditionState; files: number; bytes: number }>;
}

/** A page of assets × recipes. */
export interface MatrixPageAnswer {
  recipes: string[];
  items: MatrixRow[];
  total: number;
  next: string | null;
}

/** Why a rendition is in its state, and what it was made by. */
export interface RenditionStoryAnswer {
  recipe: string;
  variant: string | null;
  state: RenditionState;
  reasons: StateReason[];
  madeBy: { revision: number; version: number } | null;
  now: { revision: number | null; version: number };
  quality: number | null;
  likeness: number | null;
  workMs: number | null;
}

/** What a rebuild would make. */
export interface RebuildPlan {
  items: { asset: string; name: string; recipe: string; state: RenditionState }[];
  totals: { renditions: number; assets: number; bytesNow: number } & RebuildEstimate;
}

/** What saving a recipe would come to. */
export interface RecipeImpact {
  /** What would differ from the recipe as it is, in a few words each. */
  items: { change: string }[];
  totals: {
    /** Files that become outdated, are fresh again because an edit is taken back, become due, or become surplus. */
    outdated: number;
    fresh: number;
    due: number;
    surplus: number;
    bytesNow: number;
  } & RebuildEstimate;
}

/** What an optimising would look at. What it saves is known only afterwards. */
export interface OptimisePlan {
  items: { asset: string; name: string; mime: string; bytes: number }[];
  totals: { selected: number; possible: number; bytes: number };
}
