import { canonicalJson, type PlannedRendition, splitSource, toWholePixels } from '@uniferum/core/recipes';
import type { Sharp } from 'sharp';
import { type EncodedFile, encodeWith } from './encode.js';
import { followRest, makeFiles, named } from './finish.js';
import type { MadeFile } from './job.js';
import { metadataFor } from './metadata.js';
import { cut, decode, type PictureContext } from './picture-context.js';
import { openPixels, type Pixels, toPixels } from './pixels.js';

/** Makes a still picture, from the shared base or from the source. */
export async function makeStill(
  context: PictureContext,
  planned: PlannedRendition,
  base: Pixels | null,
): Promise<MadeFile[]> {
  const begun = base
    ? cut(openPixels(base), planned.region, planned.size, base)
    : await beginStill(context, planned);
  const { recipe, mime, rest } = planned;
  const { output } = recipe;
  const isPlain =
    rest.length === 0 &&
    recipe.ladder === undefined &&
    !output.also?.length &&
    output.maxBytes === undefined &&
    output.likeness === undefined &&
    // Pixels that were decoded before have lost their profile.
    (context.profile === null || (base === null && !context.job.keepDecoded));
  // One pipeline from the first pixel to the last, as for nearly all renditions.
  if (isPlain) return [named(recipe, null, mime, await encodeDirectly(begun, planned, context))];
  const pixels = await followRest(await toPixels(begun), planned, context, new Map());
  return makeFiles([pixels], planned, context, null);
}

async function encodeDirectly(
  begun: Sharp,
  { recipe: { output }, mime, size }: PlannedRendition,
  { metadata, profile }: PictureContext,
): Promise<EncodedFile> {
  const made = await encodeWith(begun, mime, {
    quality: output.quality,
    metadata: metadataFor(output, metadata, { ...size, isSrgb: profile === null }),
  });
  const hasQuality = mime !== 'image/png' && mime !== 'image/gif';
  return { ...made, quality: hasQuality ? output.quality : null, likeness: null };
}

async function beginStill(context: PictureContext, planned: PlannedRendition): Promise<Sharp> {
  const { size, region } = planned;
  const from = region ?? { left: 0, top: 0, ...context.size };
  const scale = Math.max(size.width / from.width, size.height / from.height);
  if (context.job.keepDecoded && context.decoded && scale <= 1) {
    const kept = await context.decoded.get(
      {
        input: context.picture.input,
        sha256: `${context.job.file.sha256}:${context.picture.path === context.job.file.path ? '' : canonicalJson(splitSource(planned.recipe.steps).source)}`,
        size: context.size,
        failOn: context.picture.failOn,
        page: context.picture.page,
        keepsColours: context.profile !== null,
      },
      scale,
      context.job.maxPixels,
    );
    return cut(
      openPixels(kept.pixels),
      region && toWholePixels(region, kept.scale, kept.pixels),
      size,
      kept.pixels,
    );
  }
  if (context.picture.mime === 'image/svg+xml' && scale > 1) {
    // An enlarged vector drawing is rasterised at the larger size.
    const larger = {
      width: Math.round(context.size.width * scale),
      height: Math.round(context.size.height * scale),
    };
    const drawn = await toPixels(decode(context, { density: Math.min(2400, 72 * scale) }));
    return cut(
      openPixels(drawn),
      region && toWholePixels(region, drawn.width / context.size.width, drawn),
      size,
      larger,
    );
  }
  return cut(decode(context), region, size, context.size);
}
