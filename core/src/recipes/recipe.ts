import type { Kind } from '../library/kinds.js';
import type { Ladder } from './ladder.js';
import type { Step } from './steps.js';

/**
 * The state of a rendition. On request: created on the first request. Not applicable: this file cannot have it, such
 * as the second page of a one-page document. Surplus: its recipe no longer asks for it.
 */
export const RENDITION_STATES = [
  'fresh',
  'due',
  'on-request',
  'outdated',
  'failed',
  'not-applicable',
  'surplus',
] as const;
export type RenditionState = (typeof RENDITION_STATES)[number];

export const OUTPUT_FORMATS = ['keep', 'jpeg', 'webp', 'avif', 'png', 'gif'] as const;
export type OutputFormat = (typeof OUTPUT_FORMATS)[number];

/** Formats that a page can offer before the main one, best compression first. */
export const ALTERNATIVE_FORMATS = ['avif', 'webp'] as const;
export type AlternativeFormat = (typeof ALTERNATIVE_FORMATS)[number];

/**
 * When a rendition is made: by a worker after the upload; before the upload is answered; or when its URL is first
 * requested.
 */
export const RECIPE_TIMES = ['background', 'at-once', 'on-request'] as const;
export type RecipeTime = (typeof RECIPE_TIMES)[number];

export interface RecipeOutput {
  format: OutputFormat;
  /** 1–100; the maximum when there is a target. */
  quality: number;
  /** The maximum file size in bytes: the highest quality that meets it is searched. */
  maxBytes?: number;
  /**
   * The minimum structural similarity (0–1) to the picture before encoding: the lowest quality that reaches it is
   * searched.
   */
  likeness?: number;
  /** Which embedded metadata is kept: none, rights, or all. Never a preview, which may show what a rendition doesn't. */
  metadata: 'none' | 'rights' | 'all';
  /**
   * What colours of a wide gamut become: sRGB, which every program shows alike, or what they are, with their profile. Steps
   * then compute with the values as they are.
   *
   * @defaultValue 'srgb'
   */
  colour?: 'srgb' | 'keep';
  /** Whether animations are kept, where the format supports them. @defaultValue 'keep' */
  animation?: 'keep' | 'first';
  /** Additional formats, for a `picture` element. */
  also?: AlternativeFormat[];
}

/** The state of a rendition that has not been made yet. */
export function unmadeState(when: RecipeTime): 'due' | 'on-request' {
  return when === 'on-request' ? 'on-request' : 'due';
}

/** A named chain of steps that makes a rendition. */
export interface Recipe {
  name: string;
  title: string;
  kinds: Kind[];
  /** Paths of the folders it applies to, including subfolders; empty for every folder. */
  folders: string[];
  when: RecipeTime;
  steps: Step[];
  output: RecipeOutput;
  /** Makes several widths of the result. */
  ladder?: Ladder;
  /** Increased with every change that makes existing renditions outdated. */
  revision: number;
}

/** The settings that determine a rendition: two recipes that agree in them make the same file. */
export type RecipeContent = Pick<Recipe, 'steps' | 'output' | 'ladder'>;

/** A recipe with the number of its renditions in each state. */
export interface RecipeAnswer extends Recipe {
  renditions: Record<RenditionState, number>;
  bytes: number;
  /** The URL of an example; null when there is none. */
  sample: string | null;
}

/** The format of a recipe's name, which is part of URLs: lower-case letters, digits and hyphens. */
export const RECIPE_NAME = /^[a-z0-9](?:[a-z0-9-]{0,38}[a-z0-9])?$/;

/** The maximum number of steps in a chain. */
export const MAX_STEPS = 20;
