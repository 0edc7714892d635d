import { type Recipe, type Region, type Size, STEP_KINDS } from '@uniferum/core/recipes';
import sharp, { type Sharp } from 'sharp';
import { plainReason } from '../../shared/plain-reason.js';
import type { DecodedCache } from './decoded.js';
import type { RenderJob } from './job.js';
import type { KeptProfile } from './kept-colours.js';
import type { Marks } from './marks.js';
import type { SourceMetadata } from './metadata.js';
import type { PictureFile } from './sources.js';

/** What all renditions of one picture share. */
export interface PictureContext {
  job: RenderJob;
  picture: PictureFile;
  /** As decoded, which may differ from the file's header. */
  size: Size;
  marks: Marks;
  metadata: SourceMetadata;
  /** Null where colours become sRGB. */
  profile: KeptProfile | null;
  signal: AbortSignal | undefined;
  decoded: DecodedCache | undefined;
}

/** Opens the picture for decoding, upright. */
export function decode({ picture, job, profile }: PictureContext, options: { density?: number } = {}): Sharp {
  const opened = sharp(picture.input, {
    limitInputPixels: job.maxPixels,
    failOn: picture.failOn,
    ...(picture.page > 0 && { page: picture.page }),
    ...options,
  }).autoOrient();
  return profile === null ? opened : opened.keepIccProfile();
}

/** Crops and resizes a picture. */
export function cut(picture: Sharp, region: Region | null, size: Size, from: Size): Sharp {
  const part = region ? picture.extract(region) : picture;
  const { width, height } = region ?? from;
  return width === size.width && height === size.height ? part : resized(part, size);
}

export function resized(picture: Sharp, { width, height }: Size): Sharp {
  return picture.resize(width, height, { fit: 'fill' });
}

/** A step that cannot be applied to this picture. */
export class StepError extends Error {
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}

/** Describes the error at a step. @param index of the step in the whole chain, from 0 */
export function stepReason(recipe: Recipe, index: number, message: string): string {
  const step = recipe.steps[index];
  return `step ${index + 1}${step ? ` (${STEP_KINDS[step.op].title.toLowerCase()})` : ''}: ${message.replace(/\.$/, '')}`;
}

/** Why a picture can't be made, without paths of the host. */
export function reasonOf(error: unknown, { file, marks }: RenderJob): string {
  return plainReason(error, [file.path, ...Object.values(marks).flatMap(({ path }) => path ?? [])]);
}
