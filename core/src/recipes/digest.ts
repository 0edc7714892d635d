import type { FocalPoint } from '../library/focal-point.js';
import type { Recipe, RecipeContent, RenditionState } from './recipe.js';
import { STEP_KINDS } from './step-fields.js';
import { type Step, watermarkPictures } from './steps.js';

/** Serialises a value to JSON with sorted keys and without undefined values: equal values give equal texts. */
export function canonicalJson(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(canonicalJson).join(',')}]`;
  if (typeof value !== 'object' || value === null) return JSON.stringify(value) ?? 'null';
  const entries = Object.entries(value).filter(([, one]) => one !== undefined);
  entries.sort(([a], [b]) => (a < b ? -1 : 1));
  return `{${entries.map(([key, one]) => `${JSON.stringify(key)}:${canonicalJson(one)}`).join(',')}}`;
}

/** Increased when metadata is embedded in another way, so that files that were made before are made again. */
const EMBEDDING = 2;

/** A text that identifies a recipe's content; its digest is the same again after an edit is reverted. */
export function contentText({ steps, output, ladder }: RecipeContent): string {
  return canonicalJson({
    steps,
    output,
    ladder,
    ...(output.metadata !== 'none' && { embedding: EMBEDDING }),
  });
}

/** Tells whether a recipe's output depends on the asset's focal point. */
export function usesFocal({ steps }: Pick<Recipe, 'steps'>): boolean {
  return steps.some(
    (step) =>
      (step.op === 'fit' && step.mode === 'cover' && (step.around ?? 'focal') === 'focal') ||
      (step.op === 'crop' && step.left === undefined && (step.around ?? 'focal') === 'focal'),
  );
}

/** The inputs of a rendition other than its recipe. */
export interface RenditionSource {
  version: number;
  sha256: string;
  /** Null where it has no effect. */
  focal: FocalPoint | null;
  /** The digest of its watermarks; null without any. */
  marks: string | null;
}

/** The inputs a rendition was made from. */
export interface RenditionOrigin extends RenditionSource {
  revision: number;
  /** The digest of the recipe's content. */
  content: string;
}

export interface StateReason {
  code:
    | 'recipe-changed'
    | 'version-changed'
    | 'focal-moved'
    | 'watermark-changed'
    | 'never-made'
    | 'not-asked'
    | 'failed'
    | 'recipe-removed'
    | 'does-not-apply'
    | 'size-removed'
    | 'fresh';
  message: string;
}

/**
 * Lists the differences between a rendition's inputs and the current ones; empty when it is fresh.
 *
 * @param changes what was edited in the recipe since, in words
 */
export function explainDifference(
  made: RenditionOrigin,
  now: RenditionOrigin,
  changes: readonly string[] = [],
): StateReason[] {
  const reasons: StateReason[] = [];
  if (made.content !== now.content)
    reasons.push({
      code: 'recipe-changed',
      message:
        made.revision === now.revision
          ? 'It was created by an earlier version of Uniferum, which embedded metadata in another way.'
          : `It was created by revision ${made.revision} of the recipe; the current revision is ${now.revision}${changes.length > 0 ? ` (${changes.join('; ')})` : ''}.`,
    });
  if (made.sha256 !== now.sha256)
    reasons.push({
      code: 'version-changed',
      message: `It was created from version ${made.version}; the current version is ${now.version}.`,
    });
  if (focalText(made.focal) !== focalText(now.focal))
    reasons.push({
      code: 'focal-moved',
      message: `The focal point moved from ${focalWords(made.focal)} to ${focalWords(now.focal)}.`,
    });
  if (made.marks !== now.marks)
    reasons.push({ code: 'watermark-changed', message: 'The picture of its watermark has changed.' });
  return reasons;
}

/** Explains a rendition's state in sentences for users. */
export function explainState(
  state: RenditionState,
  facts: {
    error: string | null;
    when: Recipe['when'] | null;
    isVariant: boolean;
    differences: readonly StateReason[];
  },
): StateReason[] {
  switch (state) {
    case 'fresh':
      return [
        {
          code: 'fresh',
          message:
            'It was created by the current revision of the recipe from the current version of the file.',
        },
      ];
    case 'due':
      return [
        {
          code: 'never-made',
          message: 'It has not been created yet. A worker creates it, or a rebuild of what is missing.',
        },
      ];
    case 'on-request':
      return [
        { code: 'not-asked', message: 'It has not been requested yet. It is created on the first request.' },
      ];
    case 'not-applicable':
      return [{ code: 'does-not-apply', message: facts.error ?? 'Its recipe does not apply to this file.' }];
    case 'failed':
      return [{ code: 'failed', message: facts.error ?? 'It could not be created.' }];
    case 'outdated':
      return facts.differences.length > 0
        ? [...facts.differences]
        : [{ code: 'recipe-changed', message: 'A full rebuild marked it to be created again.' }];
    case 'surplus':
      if (facts.when === null)
        return [
          {
            code: 'recipe-removed',
            message: 'Its recipe was deleted. The file is kept because a page may use it.',
          },
        ];
      return facts.isVariant
        ? [
            {
              code: 'size-removed',
              message: 'Its recipe no longer creates this size. The file is kept because a page may use it.',
            },
          ]
        : [
            {
              code: 'does-not-apply',
              message:
                'Its recipe no longer applies to this file. The rendition is kept because a page may use it.',
            },
          ];
  }
}

/** A focal point as stored and compared; empty for none. */
export function focalText(focal: FocalPoint | null): string {
  return focal === null ? '' : `${focal.x.toFixed(4)},${focal.y.toFixed(4)}`;
}

/** Lists the differences between two contents, in a few words each. */
export function describeChanges(before: RecipeContent, after: RecipeContent): string[] {
  const changes: string[] = [];
  const length = Math.max(before.steps.length, after.steps.length);
  for (let index = 0; index < length; index += 1) {
    const change = describeStepChange(before.steps[index], after.steps[index], index + 1);
    if (change !== null) changes.push(change);
  }
  changes.push(...describeSettings('', before.output, after.output));
  if (canonicalJson(before.ladder) !== canonicalJson(after.ladder))
    changes.push(
      after.ladder ? (before.ladder ? 'other widths' : 'a ladder was added') : 'the ladder was removed',
    );
  return changes;
}

function describeStepChange(
  before: Step | undefined,
  after: Step | undefined,
  number: number,
): string | null {
  if (canonicalJson(before) === canonicalJson(after)) return null;
  if (!before) return after ? `step ${number} added (${STEP_KINDS[after.op].title.toLowerCase()})` : null;
  if (!after) return `step ${number} removed (${STEP_KINDS[before.op].title.toLowerCase()})`;
  if (before.op !== after.op)
    return `step ${number} is ${STEP_KINDS[after.op].title.toLowerCase()} instead of ${STEP_KINDS[before.op].title.toLowerCase()}`;
  return `step ${number}: ${describeSettings('', before, after).join(', ')}`;
}

function describeSettings(prefix: string, before: object, after: object): string[] {
  const [a, b] = [before as Record<string, unknown>, after as Record<string, unknown>];
  return [...new Set([...Object.keys(a), ...Object.keys(b)])]
    .filter((key) => canonicalJson(a[key]) !== canonicalJson(b[key]))
    .map((key) => `${prefix}${key} ${words(a[key])} → ${words(b[key])}`);
}

/** The paths of all watermarks of the recipes. */
export function allWatermarks(recipes: readonly Pick<Recipe, 'steps'>[]): string[] {
  return [...new Set(recipes.flatMap(({ steps }) => watermarkPictures(steps)))];
}

function words(value: unknown): string {
  return value === undefined ? 'none' : typeof value === 'string' ? value : JSON.stringify(value);
}

function focalWords(focal: FocalPoint | null): string {
  return focal === null ? 'the middle' : `${Math.round(focal.x * 100)} %, ${Math.round(focal.y * 100)} %`;
}
