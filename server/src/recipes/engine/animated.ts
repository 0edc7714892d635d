import { type PlannedRendition, planRenditions, type Region } from '@uniferum/core/recipes';
import sharp from 'sharp';
import type { Timing } from './encode.js';
import { followRest, makeFiles } from './finish.js';
import type { MadeFile } from './job.js';
import { openPixels, type Pixels, toPixels } from './pixels.js';
import { cut, type RenderTempFiles } from './render-temp-files.js';

/** Makes an animation: every frame goes through the chain, and what is found in the first holds for all. */
export async function makeAnimated(shop: RenderTempFiles, planned: PlannedRendition): Promise<MadeFile[]> {
  const {
    delay = [],
    loop = 0,
    pageHeight = shop.size.height,
  } = await sharp(shop.picture.path, { animated: true }).metadata();
  const total = shop.size.width * pageHeight * shop.pages;
  if (total > shop.job.maxPixels)
    throw new Error(
      `its ${shop.pages} frames have ${total} pixels together; at most ${shop.job.maxPixels} are decoded`,
    );
  const tall = await toPixels(
    sharp(shop.picture.path, { animated: true, limitInputPixels: shop.job.maxPixels, failOn: 'error' }),
  );
  const frameBytes = tall.width * pageHeight * tall.channels;
  const found = new Map<number, Region>();
  const frames: Pixels[] = [];
  for (let at = 0; at < shop.pages; at += 1) {
    shop.signal?.throwIfAborted();
    const frame = {
      ...tall,
      height: pageHeight,
      data: tall.data.subarray(at * frameBytes, (at + 1) * frameBytes),
    };
    const region = planned.from === 'base' ? scaledRegion(planned, shop) : planned.region;
    const begun = await toPixels(cut(openPixels(frame), region, planned.size, frame));
    frames.push(await followRest(begun, planned, shop, found));
  }
  const timing: Timing = { delay: delay.slice(0, shop.pages), loop };
  return makeFiles(frames, planned, shop, timing);
}

/** A region of the base, in pixels of the source again. */
function scaledRegion(
  { region, size, recipe }: PlannedRendition,
  { size: source, job, picture }: RenderTempFiles,
): Region | null {
  if (region === null) return null;
  const alone = planRenditions({ ...source, mime: picture.mime }, [recipe], job.focal ?? undefined)
    .renditions[0];
  return alone?.region ?? { left: 0, top: 0, ...size };
}
