import type { StateReason } from './digest.js';
import type { RebuildEstimate } from './estimate.js';
import type { RenditionState } from './recipe.js';

/** One asset of the matrix: the state of each applicable recipe. */
export interface MatrixRow {
  asset: {
    id: string;
    name: string;
    folder: string;
    kind: string;
    placeholder: string | null;
    /** The URL of a small picture of it. */
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

/** Why a rendition is in its state, and how it was made. */
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

/** The plan of a rebuild. */
export interface RebuildPlan {
  items: { asset: string; name: string; recipe: string; state: RenditionState }[];
  totals: { renditions: number; assets: number; bytesNow: number } & RebuildEstimate;
}

/** The impact of saving a recipe. */
export interface RecipeImpact {
  /** The differences from the current recipe, in a few words each. */
  items: { change: string }[];
  totals: {
    /** Files that become outdated, become fresh because an edit is reverted, become due, or become surplus. */
    outdated: number;
    fresh: number;
    due: number;
    surplus: number;
    bytesNow: number;
  } & RebuildEstimate;
}

/** The plan of optimising. The savings are known only afterwards. */
export interface OptimisePlan {
  items: { asset: string; name: string; mime: string; bytes: number }[];
  totals: { selected: number; possible: number; bytes: number };
}
