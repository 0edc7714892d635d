import type { Kind } from '../library/kinds.js';

/** How far a rendition is. Surplus: its recipe no longer asks for it. */
export const RENDITION_STATES = ['fresh', 'due', 'outdated', 'failed', 'surplus'] as const;
export type RenditionState = (typeof RENDITION_STATES)[number];

export const OUTPUT_FORMATS = ['keep', 'jpeg', 'webp', 'avif', 'png'] as const;
export type OutputFormat = (typeof OUTPUT_FORMATS)[number];

/**
 * Brings a picture into a box of `width` × `height` CSS pixels; a side that is absent doesn't limit.
 * `inside` keeps the whole picture; `cover` fills the box and cuts off what hangs over, around the focal point.
 */
export interface FitStep {
  op: 'fit';
  width?: number;
  height?: number;
  mode: 'inside' | 'cover';
  /** @defaultValue false */
  enlarge?: boolean;
}

export type Step = FitStep;

export interface RecipeOutput {
  format: OutputFormat;
  /** 1–100. */
  quality: number;
  /** Which embedded metadata travels: nothing, artist and copyright, or all. */
  metadata: 'none' | 'rights' | 'all';
}

/** A named chain of steps by which a rendition is made. */
export interface Recipe {
  name: string;
  title: string;
  kinds: Kind[];
  /** Paths of the folders whose pictures it applies to, with all below them; empty for every folder. */
  folders: string[];
  when: 'background' | 'at-once';
  steps: Step[];
  output: RecipeOutput;
  /** Counts up with every change that makes existing renditions outdated. */
  revision: number;
}

/** A recipe with how many of its renditions are in which state. */
export interface RecipeAnswer extends Recipe {
  renditions: Record<RenditionState, number>;
  bytes: number;
}

/** A recipe's name stands in addresses: lower-case letters, digits and hyphens. */
export const RECIPE_NAME = /^[a-z0-9](?:[a-z0-9-]{0,38}[a-z0-9])?$/;
