import { nearestWord } from '../library/nearest.js';
import type { FieldError } from '../shared/problem.js';
import { parseAspect } from './aspect.js';
import { checkLadder } from './ladder.js';
import { MAX_STEPS, type RecipeContent } from './recipe.js';
import { COLOUR, STEP_KINDS, STEP_OPS, type StepField } from './step-fields.js';
import { type CropStep, type FitStep, isSourceStep, type Step, type StepOp } from './steps.js';

/**
 * Validates a chain of steps parsed from JSON; empty when valid. A fault's `field` is the path of the setting:
 * `steps.2.width`.
 */
export function checkSteps(steps: unknown): FieldError[] {
  if (!Array.isArray(steps)) return [fault('steps', 'type', 'The steps must be a list.')];
  if (steps.length > MAX_STEPS)
    return [
      fault('steps', 'too-many', `A chain has at most ${MAX_STEPS} steps; this one has ${steps.length}.`),
    ];
  return steps.flatMap((step, index) => checkStep(step, index));
}

/** Validates a recipe's steps, output and ladder together. */
export function checkContent({ steps, output, ladder }: RecipeContent): FieldError[] {
  const faults = [...checkSteps(steps), ...(ladder ? checkLadder(ladder) : [])];
  if (output.maxBytes !== undefined && output.likeness !== undefined)
    faults.push(fault('output.maxBytes', 'both', 'Choose a target size or a target likeness, not both.'));
  const isSearched = output.maxBytes !== undefined || output.likeness !== undefined;
  if (isSearched && (output.format === 'gif' || (output.format === 'png' && output.likeness !== undefined)))
    faults.push(
      fault(
        'output.format',
        'no-quality',
        `A ${output.format} has no quality to search. Choose jpeg, webp or avif.`,
      ),
    );
  return faults;
}

function checkStep(value: unknown, index: number): FieldError[] {
  const at = `steps.${index}`;
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    return [fault(at, 'type', 'A step must be an object with an "op".')];
  const step = value as Record<string, unknown>;
  const kind =
    typeof step.op === 'string' && Object.hasOwn(STEP_KINDS, step.op) ? STEP_KINDS[step.op as StepOp] : null;
  if (kind === null) {
    const near = typeof step.op === 'string' ? nearestWord(step.op, STEP_OPS) : null;
    return [
      fault(
        `${at}.op`,
        'unknown-step',
        `Unknown step "${String(step.op)}".${near ? ` Did you mean "${near}"?` : ''}`,
        near,
      ),
    ];
  }
  const faults = Object.keys(step)
    .filter((name) => name !== 'op' && !Object.hasOwn(kind.fields, name))
    .map((name) => {
      const near = nearestWord(name, Object.keys(kind.fields));
      return fault(
        `${at}.${name}`,
        'unknown-setting',
        `${kind.title} has no setting "${name}".${near ? ` Did you mean "${near}"?` : ''}`,
        near,
      );
    });
  for (const [name, field] of Object.entries(kind.fields)) {
    const message = checkField(step[name], field);
    if (message !== null) faults.push(fault(`${at}.${name}`, 'value', message));
  }
  if (faults.length === 0) faults.push(...checkTogether(step as unknown as Step, index));
  return faults;
}

function checkField(value: unknown, field: StepField): string | null {
  if (value === undefined) return field.required ? `${field.label} is missing.` : null;
  if (isNumberField(field)) return checkNumber(value, field);
  if (!isTextField(field)) return typeof value === 'boolean' ? null : `${field.label} is true or false.`;
  return typeof value === 'string' && isText(value, field) ? null : textRule(field);
}

type NumberField = Extract<StepField, { kind: 'integer' | 'number' }>;
type TextField = Extract<StepField, { kind: 'choice' | 'colour' | 'aspect' | 'words' | 'picture' }>;

const NUMBER_KINDS: readonly string[] = ['integer', 'number'];

function isNumberField(field: StepField): field is NumberField {
  return NUMBER_KINDS.includes(field.kind);
}

function isTextField(field: StepField): field is TextField {
  return !isNumberField(field) && field.kind !== 'flag';
}

function checkNumber(value: unknown, { kind, label, min, max, unit }: NumberField): string | null {
  const isInRange = typeof value === 'number' && Number.isFinite(value) && value >= min && value <= max;
  if (isInRange && (kind === 'number' || Number.isInteger(value))) return null;
  return `${label} is a ${kind === 'integer' ? 'whole ' : ''}number from ${min} to ${max}${unit ? ` ${unit}` : ''}.`;
}

function isText(value: string, field: TextField): boolean {
  switch (field.kind) {
    case 'choice':
      return field.options.includes(value);
    case 'colour':
      return COLOUR.test(value);
    case 'aspect':
      return parseAspect(value) !== null;
    case 'words':
      return value.trim() !== '' && value.length <= field.max;
    case 'picture':
      return value.startsWith('/') && value.length > 1;
  }
}

function textRule(field: TextField): string {
  switch (field.kind) {
    case 'choice':
      return `${field.label} is one of ${field.options.join(', ')}.`;
    case 'colour':
      return `${field.label} is a colour like #8a3a25, #8a3a2580 with opacity, or transparent.`;
    case 'aspect':
      return `${field.label} is written like 16:9.`;
    case 'words':
      return `${field.label} have 1 to ${field.max} characters.`;
    case 'picture':
      return `${field.label} is the path of a picture in the library, like /marks/seal.svg.`;
  }
}

/** Rules that involve several settings. */
function checkTogether(step: Step, index: number): FieldError[] {
  const at = `steps.${index}`;
  if (isSourceStep(step) && index > 0)
    return [
      fault(
        `${at}.op`,
        'not-first',
        `${STEP_KINDS[step.op].title} selects the source, so it must be the first step.`,
      ),
    ];
  if (step.op === 'fit') return checkFit(step, at);
  if (step.op === 'crop') return checkCrop(step, at);
  if (step.op === 'watermark' && (step.picture === undefined) === (step.words === undefined))
    return [fault(`${at}.picture`, 'one-of', 'A watermark needs either a picture or text.')];
  return [];
}

function checkFit({ width, height, mode }: FitStep, at: string): FieldError[] {
  if (width === undefined && height === undefined)
    return [fault(`${at}.width`, 'missing', 'Set a width, a height, or both.')];
  const needsBoth = mode === 'cover' || mode === 'contain';
  if (!needsBoth || (width !== undefined && height !== undefined)) return [];
  return [
    fault(
      `${at}.${width === undefined ? 'width' : 'height'}`,
      'missing',
      `${mode} needs a width and a height.`,
    ),
  ];
}

function checkCrop({ aspect, width, height, left, top, unit }: CropStep, at: string): FieldError[] {
  const hasSide = width !== undefined || height !== undefined;
  const isBox = width !== undefined && height !== undefined;
  if (aspect !== undefined && hasSide)
    return [fault(`${at}.aspect`, 'both', 'Set either an aspect ratio or a size, not both.')];
  if (aspect === undefined && !isBox)
    return [fault(`${at}.aspect`, 'missing', 'Set an aspect ratio, or a width and a height.')];
  if ((left === undefined) !== (top === undefined))
    return [fault(`${at}.left`, 'missing', 'Set both left and top, or neither.')];
  if (aspect !== undefined && left !== undefined)
    return [
      fault(`${at}.left`, 'both', 'A crop by aspect ratio is positioned automatically; remove left and top.'),
    ];
  const isTooMuch = unit === 'percent' && isBox && Math.max(width, height) > 100;
  return isTooMuch ? [fault(`${at}.width`, 'value', "A share can't exceed 100 percent.")] : [];
}

function fault(field: string, code: string, message: string, suggestion?: string | null): FieldError {
  return { field, code, message, ...(suggestion !== undefined && { suggestion }) };
}
