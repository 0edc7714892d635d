import { canonicalJson, type PlannedRendition, splitSource, toWholePixels } from '@uniferum/core/recipes';
import type { Sharp } from 'sharp';
import { type EncodedFile, type Rights, withFormat, withoutPreviews, withRights } from './encode.js';
import { followRest, makeFiles, named } from './finish.js';
import type { MadeFile } from './job.js';
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
    output.likeness === undefined;
  // One pipeline from the first pixel to the last, as for nearly all renditions.
  if (isPlain) return [named(recipe, null, mime, await encodeDirectly(begun, planned, context.rights))];
  const pixels = await followRest(await toPixels(begun), planned, context, new Map());
  return makeFiles([pixels], planned, context, null);
}

async function encodeDirectly(
  begun: Sharp,
  { recipe, mime }: PlannedRendition,
  rights: Rights,
): Promise<EncodedFile> {
  const { metadata, quality } = recipe.output;
  const described =
    metadata === 'all' ? begun.keepMetadata() : metadata === 'rights' ? withRights(begun, rights) : begun;
  const { data, info } = await withFormat(described, mime, quality, {}).toBuffer({ resolveWithObject: true });
  const hasQuality = mime !== 'image/png' && mime !== 'image/gif';
  return {
    data: metadata === 'all' ? withoutPreviews(data, mime) : data,
    width: info.width,
    height: info.height,
    quality: hasQuality ? quality : null,
    likeness: null,
  };
}

async function beginStill(context: PictureContext, planned: PlannedRendition): Promise<Sharp> {
  const { size, region } = planned;
  const from = region ?? { left: 0, top: 0, ...context.size };
  const scale = Math.max(size.width / from.width, size.height / from.height);
  if (context.job.keepDecoded && context.decoded && scale <= 1) {
    const kept = await context.decoded.get(
      {
        path: context.picture.path,
        sha256: `${context.job.file.sha256}:${context.picture.path === context.job.file.path ? '' : canonicalJson(splitSource(planned.recipe.steps).source)}`,
        size: context.size,
        failOn: context.picture.failOn,
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
