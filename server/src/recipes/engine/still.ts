import { canonicalJson, type PlannedRendition, splitSource, toWholePixels } from '@uniferum/core/recipes';
import type { Sharp } from 'sharp';
import { type EncodedFile, type Rights, withFormat, withoutPreviews, withRights } from './encode.js';
import { followRest, makeFiles, named } from './finish.js';
import type { MadeFile } from './job.js';
import { openPixels, type Pixels, toPixels } from './pixels.js';
import { cut, decode, type RenderTempFiles } from './render-temp-files.js';

/** Makes a still picture, from the base that others are made of as well, or from the source. */
export async function makeStill(
  shop: RenderTempFiles,
  planned: PlannedRendition,
  base: Pixels | null,
): Promise<MadeFile[]> {
  const begun = base
    ? cut(openPixels(base), planned.region, planned.size, base)
    : await beginStill(shop, planned);
  const { recipe, mime, rest } = planned;
  const { output } = recipe;
  const isPlain =
    rest.length === 0 &&
    recipe.ladder === undefined &&
    !output.also?.length &&
    output.maxBytes === undefined &&
    output.likeness === undefined;
  // One pipeline from the first pixel to the last: the way of nearly all renditions.
  if (isPlain) return [named(recipe, null, mime, await encodeDirectly(begun, planned, shop.rights))];
  const pixels = await followRest(await toPixels(begun), planned, shop, new Map());
  return makeFiles([pixels], planned, shop, null);
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

async function beginStill(shop: RenderTempFiles, planned: PlannedRendition): Promise<Sharp> {
  const { size, region } = planned;
  const from = region ?? { left: 0, top: 0, ...shop.size };
  const scale = Math.max(size.width / from.width, size.height / from.height);
  if (shop.job.keepDecoded && shop.decoded && scale <= 1) {
    const kept = await shop.decoded.get(
      {
        path: shop.picture.path,
        sha256: `${shop.job.file.sha256}:${shop.picture.path === shop.job.file.path ? '' : canonicalJson(splitSource(planned.recipe.steps).source)}`,
        size: shop.size,
      },
      scale,
      shop.job.maxPixels,
    );
    return cut(
      openPixels(kept.pixels),
      region && toWholePixels(region, kept.scale, kept.pixels),
      size,
      kept.pixels,
    );
  }
  if (shop.picture.mime === 'image/svg+xml' && scale > 1) {
    // A drawing that is enlarged is drawn larger, not blown up.
    const larger = {
      width: Math.round(shop.size.width * scale),
      height: Math.round(shop.size.height * scale),
    };
    const drawn = await toPixels(decode(shop, { density: Math.min(2400, 72 * scale) }));
    return cut(
      openPixels(drawn),
      region && toWholePixels(region, drawn.width / shop.size.width, drawn),
      size,
      larger,
    );
  }
  return cut(decode(shop), region, size, shop.size);
}
