import { extensionOfMime } from '@uniferum/core/intake';
import {
  computeRungs,
  givenRungs,
  holdsAnimation,
  type PlannedRendition,
  type Recipe,
  type Region,
  resolveStep,
  type Size,
  variantName,
} from '@uniferum/core/recipes';
import { applyOperation, canvasOf } from './canvas.js';
import { type EncodedFile, encodeFrames, type Timing } from './encode.js';
import type { MadeFile } from './job.js';
import { metadataFor } from './metadata.js';
import { type PictureContext, reasonOf, resized, StepError, stepReason } from './picture-context.js';
import { openPixels, type Pixels, toPixels } from './pixels.js';

/** Applies the steps after the first crop and resize, each to the result of the previous one. */
export async function followRest(
  begun: Pixels,
  { recipe, rest, focal }: PlannedRendition,
  context: PictureContext,
  found: Map<number, Region>,
): Promise<Pixels> {
  let pixels = begun;
  let focus = focal;
  let operationIndex = 0;
  const firstRest = recipe.steps.length - rest.length;
  for (const [index, step] of rest.entries()) {
    context.signal?.throwIfAborted();
    const resolved = resolveStep(step, canvasOf(pixels, focus));
    if (!resolved.ok)
      throw new StepError(resolved.fault.code, stepReason(recipe, firstRest + index, resolved.fault.message));
    for (const operation of resolved.operations) {
      operationIndex += 1;
      try {
        pixels = await applyOperation(pixels, operation, operationIndex, {
          ...{ marks: context.marks, profile: context.profile, found },
        });
      } catch (error) {
        throw new StepError('step', stepReason(recipe, firstRest + index, reasonOf(error, context.job)));
      }
    }
    focus = resolved.after.focal;
  }
  return pixels;
}

/** Makes the widths of a ladder and the alternative formats from the result of the steps. */
export async function makeFiles(
  frames: readonly Pixels[],
  { recipe, mime }: PlannedRendition,
  context: PictureContext,
  timing: Timing | null,
): Promise<MadeFile[]> {
  const [first] = frames;
  if (!first) throw new Error('it has no frame');
  const { output, ladder } = recipe;
  const { profile } = context;
  const scaled = async (size: Size, type: string) =>
    Promise.all(
      (holdsAnimation(type) ? frames : [first]).map(async (frame) =>
        frame.width === size.width && frame.height === size.height
          ? frame
          : toPixels(resized(openPixels(frame), size)),
      ),
    );
  const encodeAt = async (size: Size, type: string) =>
    encodeFrames(await scaled(size, type), type, output, {
      timing: holdsAnimation(type) ? timing : null,
      metadata: metadataFor(output, context.metadata, { ...size, isSrgb: profile === null }),
      profile,
    });
  const whole = { width: first.width, height: first.height };
  const measured = new Map<number, EncodedFile>();
  const measure = async (size: Size) => {
    const made = await encodeAt(size, mime);
    measured.set(size.width, made);
    return made.data.length;
  };
  const rungs =
    ladder === undefined
      ? [whole]
      : 'widths' in ladder
        ? givenRungs(whole, ladder)
        : await computeRungs(whole, ladder, measure);
  const files: MadeFile[] = [];
  const types = [
    mime,
    ...(output.also ?? []).map((format) => `image/${format}`).filter((type) => type !== mime),
  ];
  for (const type of types) {
    for (const [index, rung] of rungs.entries()) {
      context.signal?.throwIfAborted();
      const made = (type === mime ? measured.get(rung.width) : undefined) ?? (await encodeAt(rung, type));
      const isMain = type === mime && index === 0;
      const variant = isMain ? null : variantName(rung.width, extensionOfMime(type) ?? 'bin');
      files.push(named(recipe, variant, type, made));
    }
  }
  return files;
}

/** One encoded file with the name of its recipe and variant. */
export function named(recipe: Recipe, variant: string | null, mime: string, made: EncodedFile): MadeFile {
  return { recipe: recipe.name, variant, mime, ...made };
}
