import type { RenditionState } from '@uniferum/core/recipes';
import { defineRun } from '../runs/run-kind.js';

/** The renditions of an asset that an item makes. */
export interface RenditionsInput {
  asset: string;
  /** Null for all recipes except those made on request. */
  recipes: string[] | null;
  /** Absent for all that are neither fresh nor surplus. */
  states?: RenditionState[];
}

export const renditionsRun = defineRun<RenditionsInput>({
  kind: 'renditions',
  label: 'Create renditions',
  countsBytes: true,
});

/** Renditions somebody is viewing now: the same work with priority. */
export const renditionsSoonRun = defineRun<RenditionsInput>({
  kind: 'renditions-soon',
  label: 'Create urgent renditions',
  countsBytes: true,
});

export const recipeApplyRun = defineRun<{
  recipe: string;
  revive: boolean;
  range: { from: number; to: number };
}>({ kind: 'recipe-apply', label: 'Apply a recipe to the library' });

export interface OptimiseInput {
  asset: string;
  mode: 'lossless' | 'likeness';
  likeness?: number;
}

export const optimiseRun = defineRun<OptimiseInput>({
  kind: 'optimise',
  label: 'Optimise originals',
  countsBytes: true,
});
