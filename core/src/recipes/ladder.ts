import type { FieldError } from '../shared/problem.js';
import { roundSide, type Size } from './geometry.js';
import { MAX_SIDE_PX } from './step-fields.js';

/** Fixed widths, in pixels. */
export interface GivenLadder {
  widths: number[];
}

/** Widths computed for each picture, so that neighbours differ by about `stepBytes`. */
export interface ComputedLadder {
  /** The smallest width, in pixels. */
  from: number;
  /** The maximum difference in bytes between neighbouring rungs. @defaultValue 20000 */
  stepBytes?: number;
  /** The maximum number of rungs. @defaultValue 8 */
  most?: number;
}

/** Several widths of one picture, among which a browser chooses. */
export type Ladder = GivenLadder | ComputedLadder;

/** The maximum number of rungs. Large sites register more than 20 sizes (common practice, no source). */
export const MAX_RUNGS = 40;
export const DEFAULT_STEP_BYTES = 20_000;
export const DEFAULT_MOST_RUNGS = 8;

/** The search for a width ends when its bytes are this close to the target, as a fraction of one step. */
const TOLERANCE = 0.04;
const MAX_TRIALS_PER_RUNG = 5;

/** Validates a ladder. */
export function checkLadder(ladder: Ladder): FieldError[] {
  const fault = (field: string, message: string): FieldError[] => [
    { field: `ladder.${field}`, code: 'value', message },
  ];
  const isPixels = (value: unknown) =>
    Number.isInteger(value) && (value as number) >= 1 && (value as number) <= MAX_SIDE_PX;
  if ('widths' in ladder) {
    if (!ladder.widths.every(isPixels))
      return fault('widths', `Widths are whole numbers from 1 to ${MAX_SIDE_PX} px.`);
    if (ladder.widths.length === 0 || ladder.widths.length > MAX_RUNGS)
      return fault('widths', `A ladder has 1 to ${MAX_RUNGS} widths.`);
    return new Set(ladder.widths).size < ladder.widths.length
      ? fault('widths', 'A width is listed twice.')
      : [];
  }
  const { from, stepBytes = DEFAULT_STEP_BYTES, most = DEFAULT_MOST_RUNGS } = ladder;
  if (!isPixels(from))
    return fault('from', `The smallest width is a whole number from 1 to ${MAX_SIDE_PX} px.`);
  if (!(stepBytes >= 500)) return fault('stepBytes', 'A step has at least 500 bytes.');
  return Number.isInteger(most) && most >= 2 && most <= MAX_RUNGS
    ? []
    : fault('most', `The most rungs are 2 to ${MAX_RUNGS}.`);
}

/**
 * The rungs with fixed widths for a picture of `size`, largest first. Widths that would enlarge it are left out; a
 * picture narrower than all of them gets its own width (common practice, no source).
 */
export function givenRungs(size: Size, { widths }: GivenLadder): Size[] {
  const fitting = widths.filter((width) => width <= size.width).sort((a, b) => b - a);
  return (fitting.length > 0 ? fitting : [size.width]).map((width) => rungOf(size, width));
}

/** A picture's size at another width. */
export function rungOf(size: Size, width: number): Size {
  return { width, height: roundSide((size.height * width) / size.width) };
}

/**
 * Computes the rungs of a ladder, largest first: their bytes divide the range from the smallest to the largest width
 * into equal steps of at most `stepBytes`, or into the maximum number of steps. Bytes grow roughly as a power of the
 * width, so each width is found by following that curve between the nearest known ones.
 *
 * @param measure the bytes of the picture at a width; called about three times per rung
 */
export async function computeRungs(
  size: Size,
  { from, stepBytes = DEFAULT_STEP_BYTES, most = DEFAULT_MOST_RUNGS }: ComputedLadder,
  measure: (size: Size) => Promise<number>,
): Promise<Size[]> {
  const top = size.width;
  if (from >= top) return [size];
  const known = new Map<number, number>();
  const bytesAt = async (width: number): Promise<number> => {
    const bytes = known.get(width) ?? (await measure(rungOf(size, width)));
    known.set(width, bytes);
    return bytes;
  };
  const [least, greatest] = [await bytesAt(from), await bytesAt(top)];
  const steps = Math.min(most - 1, Math.max(1, Math.ceil((greatest - least) / stepBytes)));
  const step = (greatest - least) / steps;
  const widths = [top];
  for (let rung = steps - 1; rung >= 1; rung -= 1) {
    const width = await findWidth(least + rung * step, {
      known,
      bytesAt,
      tolerance: Math.abs(step) * TOLERANCE,
    });
    if (width < (widths.at(-1) ?? top) && width > from) widths.push(width);
  }
  return [...widths, from].map((width) => rungOf(size, width));
}

async function findWidth(
  bytes: number,
  search: { known: Map<number, number>; bytesAt: (width: number) => Promise<number>; tolerance: number },
): Promise<number> {
  let best = { width: 0, off: Number.POSITIVE_INFINITY };
  for (let trial = 0; trial < MAX_TRIALS_PER_RUNG; trial += 1) {
    const width = guessWidth(bytes, search.known);
    const off = Math.abs((await search.bytesAt(width)) - bytes);
    if (off >= best.off) break;
    best = { width, off };
    if (off <= search.tolerance) break;
  }
  return best.width;
}

/** Interpolates `bytes = a · width^p` through the known widths around the target. */
function guessWidth(bytes: number, known: ReadonlyMap<number, number>): number {
  const points = [...known].sort(([a], [b]) => a - b);
  const above = Math.max(
    1,
    points.findIndex(([, known]) => known >= bytes),
  );
  const [low, high] = [points[above - 1], points[above]];
  if (!low || !high) return points.at(-1)?.[0] ?? 1;
  const power = Math.log(high[1] / low[1]) / Math.log(high[0] / low[0]);
  const guess = low[0] * (bytes / low[1]) ** (1 / power);
  const width = Number.isFinite(guess) ? Math.round(guess) : Math.round((low[0] + high[0]) / 2);
  return Math.min(Math.max(width, low[0]), high[0]);
}

/** The name of a rung or an alternative format in a URL: `500w.webp`. The main file of a rendition has none. */
export function variantName(width: number, extension: string): string {
  return `${width}w.${extension}`;
}
