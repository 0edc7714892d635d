import { type PlannedRendition, planRenditions, type Region } from '@uniferum/core/recipes';
import sharp from 'sharp';
import type { Timing } from './encode.js';
import { followRest, makeFiles } from './finish.js';
import type { MadeFile } from './job.js';
import { cut, type PictureContext } from './picture-context.js';
import { openPixels, type Pixels, toPixels } from './pixels.js';

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
  const tall = await toPixels(
    sharp(context.picture.path, {
      animated: true,
      limitInputPixels: context.job.maxPixels,
      failOn: context.picture.failOn,
    }),
  );
  const frameBytes = tall.width * pageHeight * tall.channels;
  const found = new Map<number, Region>();
  const frames: Pixels[] = [];
  for (let at = 0; at < context.picture.frames; at += 1) {
    context.signal?.throwIfAborted();
    const frame = {
      ...tall,
      height: pageHeight,
      data: tall.data.subarray(at * frameBytes, (at + 1) * frameBytes),
    };
    const region = planned.from === 'base' ? scaledRegion(planned, context) : planned.region;
    const begun = await toPixels(cut(openPixels(frame), region, planned.size, frame));
    frames.push(await followRest(begun, planned, context, found));
  }
  const timing: Timing = { delay: delay.slice(0, context.picture.frames), loop };
  return makeFiles(frames, planned, context, timing);
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
