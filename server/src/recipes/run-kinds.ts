import type { RenditionState } from '@uniferum/core/recipes';
import { defineRun } from '../runs/run-kind.js';

/** Which renditions of an asset an item makes. */
export interface RenditionsInput {
  asset: string;
  /** Null for all but those that are made on request. */
  recipes: string[] | null;
  /** Absent for all that are neither fresh nor surplus. */
  states?: RenditionState[];
}

export const renditionsRun = defineRun<RenditionsInput>({
  kind: 'renditions',
  label: 'Create renditions',
  countsBytes: true,
});

/** What somebody looks at right now: the same work, before everything else. */
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
