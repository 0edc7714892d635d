import type { Kind } from '../library/kinds.js';
import type { Ladder } from './ladder.js';
import type { Step } from './steps.js';

/**
 * How far a rendition is. On request: created on the first request. Not applicable: this very file can't have it, like the
 * second page of a document of one page. Surplus: its recipe no longer asks for it.
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
 * When a rendition is made: by a worker after arrival; before the answer of the upload is given; or when its address
 * is first asked for.
 */
export const RECIPE_TIMES = ['background', 'at-once', 'on-request'] as const;
export type RecipeTime = (typeof RECIPE_TIMES)[number];

export interface RecipeOutput {
  format: OutputFormat;
  /** 1–100; the highest that is tried when there is a target. */
  quality: number;
  /** The most bytes that a file may have: the highest quality that keeps to it is searched. */
  maxBytes?: number;
  /** The least structural similarity (0–1) to the picture before encoding: the lowest quality that keeps to it is searched. */
  likeness?: number;
  /** Which embedded metadata travels: nothing, artist and copyright, or all. */
  metadata: 'none' | 'rights' | 'all';
  /** Whether an animation stays one, where the format can hold it. @defaultValue 'keep' */
  animation?: 'keep' | 'first';
  /** Formats that are made beside the main one, for a `picture` element. */
  also?: AlternativeFormat[];
}

/** The state of a rendition that has not been made yet. */
export function unmadeState(when: RecipeTime): 'due' | 'on-request' {
  return when === 'on-request' ? 'on-request' : 'due';
}

/** A named chain of steps by which a rendition is made. */
export interface Recipe {
  name: string;
  title: string;
  kinds: Kind[];
  /** Paths of the folders whose pictures it applies to, with all below them; empty for every folder. */
  folders: string[];
  when: RecipeTime;
  steps: Step[];
  output: RecipeOutput;
  /** Makes several widths of what the steps come to. */
  ladder?: Ladder;
  /** Counts up with every change that makes existing renditions outdated. */
  revision: number;
}

/** What makes up a rendition: two recipes that agree in it make the same file. */
export type RecipeContent = Pick<Recipe, 'steps' | 'output' | 'ladder'>;

/** A recipe with how many of its renditions are in which state. */
export interface RecipeAnswer extends Recipe {
  renditions: Record<RenditionState, number>;
  bytes: number;
  /** The address of a picture that it made; null when there is none. */
  sample: string | null;
}

/** A recipe's name stands in addresses: lower-case letters, digits and hyphens. */
export const RECIPE_NAME = /^[a-z0-9](?:[a-z0-9-]{0,38}[a-z0-9])?$/;

/** The most steps in a chain. */
export const MAX_STEPS = 20;
