import { readFile } from 'node:fs/promises';
import { NO_METADATA } from '@uniferum/core/inspection';
import { type PlannedRendition, planRenditions, type Region, type Size } from '@uniferum/core/recipes';
import sharp from 'sharp';
import type { Timing } from './encode.js';
import { followRest, makeFiles } from './finish.js';
import type { MadeFile } from './job.js';
import { embed } from './metadata.js';
import { cut, type PictureContext } from './picture-context.js';
import { type Pixels, toPixels } from './pixels.js';

/** Makes an animation: every frame goes through the chain, and what is detected in the first frame applies to all. */
export async function makeAnimated(context: PictureContext, planned: PlannedRendition): Promise<MadeFile[]> {
  const {
    delay = [],
    loop = 0,
    pageHeight = context.size.height,
  } = await sharp(context.picture.path, { animated: true, failOn: 'none' }).metadata();
  const total = context.size.width * pageHeight * context.picture.frames;
  if (total > context.job.maxPixels)
    throw new Error(
      `its ${context.picture.frames} frames have ${total} pixels together; at most ${context.job.maxPixels} are decoded`,
    );
  const found = new Map<number, Region>();
  const frames: Pixels[] = [];
  const region = planned.from === 'base' ? scaledRegion(planned, context) : planned.region;
  const source = { width: context.size.width, height: pageHeight };
  for await (const begun of beginFrames(context, source, region, planned.size))
    frames.push(await followRest(begun, planned, context, found));
  const timing: Timing = { delay: delay.slice(0, context.picture.frames), loop };
  return keepSmall(await makeFiles(frames, planned, context, timing), planned, context);
}

/**
 * A GIF in which nothing was changed is never larger than it was: the palette of whoever made it may be better. Its own
 * coding is kept then, without what it says about itself.
 */
async function keepSmall(
  made: MadeFile[],
  { recipe, mime, region, size, rest }: PlannedRendition,
  { picture, size: source }: PictureContext,
): Promise<MadeFile[]> {
  const isUnchanged =
    region === null && rest.length === 0 && size.width === source.width && size.height === source.height;
  const isSame = mime === 'image/gif' && picture.mime === mime && recipe.output.metadata === 'none';
  if (!isUnchanged || !isSame) return made;
  const original = await readFile(picture.path);
  return made.map((file) =>
    file.variant === null && file.data.length > original.length
      ? { ...file, data: embed(original, mime, NO_METADATA) }
      : file,
  );
}

/** So many bytes of decoded frames are in memory at a time. */
const BYTES_AT_A_TIME = 64_000_000;

/** Decodes frames, and crops and resizes them: many in one pipeline, which works on each by itself. */
async function* beginFrames(
  { picture, job, signal }: PictureContext,
  source: Size,
  region: Region | null,
  size: Size,
): AsyncGenerator<Pixels> {
  const together = Math.max(1, Math.floor(BYTES_AT_A_TIME / (source.width * source.height * 4)));
  for (let page = 0; page < picture.frames; page += together) {
    signal?.throwIfAborted();
    const opened = sharp(picture.path, {
      ...{ page, pages: Math.min(together, picture.frames - page) },
      ...{ limitInputPixels: job.maxPixels, failOn: picture.failOn },
    });
    const tall = await toPixels(cut(opened, region, size, source));
    const frameBytes = size.width * size.height * tall.channels;
    for (let at = 0; at + frameBytes <= tall.data.length; at += frameBytes) {
      signal?.throwIfAborted();
      yield { ...size, channels: tall.channels, data: tall.data.subarray(at, at + frameBytes) };
    }
  }
}

/** A region of the base, converted back to pixels of the source. */
function scaledRegion(
  { region, size, recipe }: PlannedRendition,
  { size: source, job, picture }: PictureContext,
): Region | null {
  if (region === null) return null;
  const alone = planRenditions({ ...source, mime: picture.mime }, [recipe], job.focal ?? undefined)
    .renditions[0];
  return alone?.region ?? { left: 0, top: 0, ...size };
}
