import {
  HASH_INPUT_SIDE,
  type PlannedRendition,
  perceptualHash,
  type RenditionPlan,
  type Size,
} from '@uniferum/core';
import sharp, { type OutputInfo, type Sharp } from 'sharp';

/** Artist and copyright, for outputs that carry the rights. */
export interface Rights {
  artist: string | null;
  copyright: string | null;
}

/** One encoded rendition. */
export interface Rendered {
  planned: PlannedRendition;
  data: Buffer;
  size: Size;
}

interface RawPicture {
  data: Buffer;
  info: OutputInfo;
}

/** Effort 4 of 9: beyond it an AVIF takes several times as long for a few percent. */
const AVIF_EFFORT = 4;
const PLACEHOLDER_PX = 16;

/**
 * Makes all renditions of a plan. The picture is decoded once to the plan's base; what is derived from it takes the
 * pixels from there, side by side; what needs the source is made one by one, so that a worker's memory stays bounded.
 *
 * @throws Error when the picture can't be decoded, or has more than `maxPixels`
 */
export async function renderPlan(
  path: string,
  plan: RenditionPlan,
  options: { maxPixels: number; rights: Rights; signal?: AbortSignal },
): Promise<{ rendered: Rendered[]; placeholder: string; phash: string }> {
  const decode = () => sharp(path, { limitInputPixels: options.maxPixels, failOn: 'error' }).autoOrient();
  const base = plan.base && (await decodeTo(decode(), plan.base));
  const derived = plan.renditions.map((planned) =>
    base && planned.from === 'base' ? encode(openRaw(base), base.info, planned, options.rights) : null,
  );
  const fromBase = await Promise.all(derived);
  const rendered: Rendered[] = [];
  for (const [index, planned] of plan.renditions.entries()) {
    options.signal?.throwIfAborted();
    rendered.push(fromBase[index] ?? (await encode(decode(), null, planned, options.rights)));
  }
  const small = smallestWhole(rendered);
  const [placeholder, phash] = await Promise.all([
    makePlaceholder(small ? sharp(small) : decode()),
    makeHash(base ? openRaw(base) : decode()),
  ]);
  return { rendered, placeholder, phash };
}

/** The smallest rendition that shows the whole picture: a placeholder needs no more. */
function smallestWhole(rendered: readonly Rendered[]): Buffer | null {
  const whole = rendered.filter(({ planned }) => planned.region === null);
  whole.sort((a, b) => a.size.width - b.size.width);
  return whole[0]?.data ?? null;
}

/** The perceptual hash, from the pixels that the renditions are made of as well. */
async function makeHash(picture: Sharp): Promise<string> {
  const grey = await picture
    .resize(HASH_INPUT_SIDE, HASH_INPUT_SIDE, { fit: 'fill' })
    .flatten({ background: '#ffffff' })
    .greyscale()
    .raw()
    .toBuffer();
  return perceptualHash(grey);
}

/** A picture of at most 16 × 16 pixels as a data URI, to be shown enlarged and blurred while a rendition loads. */
async function makePlaceholder(picture: Sharp): Promise<string> {
  const data = await picture
    .resize(PLACEHOLDER_PX, PLACEHOLDER_PX, { fit: 'inside', withoutEnlargement: true })
    .webp({ quality: 30, alphaQuality: 30 })
    .toBuffer();
  return `data:image/webp;base64,${data.toString('base64')}`;
}

async function decodeTo(picture: Sharp, size: Size): Promise<RawPicture> {
  return picture
    .resize(size.width, size.height, { fit: 'fill' })
    .toColourspace('srgb')
    .raw()
    .toBuffer({ resolveWithObject: true });
}

function openRaw({ data, info }: RawPicture): Sharp {
  return sharp(data, { raw: { width: info.width, height: info.height, channels: info.channels } });
}

async function encode(
  picture: Sharp,
  canvas: Size | null,
  planned: PlannedRendition,
  rights: Rights,
): Promise<Rendered> {
  const { region, size } = planned;
  let pipeline = picture;
  if (region) pipeline = pipeline.extract(region);
  const isExact = region === null && canvas?.width === size.width && canvas.height === size.height;
  if (!isExact) pipeline = pipeline.resize(size.width, size.height, { fit: 'fill' });
  const { data, info } = await withFormat(withMetadata(pipeline, planned, rights), planned).toBuffer({
    resolveWithObject: true,
  });
  return { planned, data, size: { width: info.width, height: info.height } };
}

function withMetadata(pipeline: Sharp, { recipe }: PlannedRendition, { artist, copyright }: Rights): Sharp {
  if (recipe.output.metadata === 'all') return pipeline.keepMetadata();
  if (recipe.output.metadata === 'none' || (artist === null && copyright === null)) return pipeline;
  return pipeline.withExif({
    IFD0: { ...(artist !== null && { Artist: artist }), ...(copyright !== null && { Copyright: copyright }) },
  });
}

function withFormat(pipeline: Sharp, { mime, recipe }: PlannedRendition): Sharp {
  const { quality } = recipe.output;
  switch (mime) {
    case 'image/webp':
      return pipeline.webp({ quality });
    case 'image/avif':
      return pipeline.avif({ quality, effort: AVIF_EFFORT });
    case 'image/png':
      return pipeline.png();
    default:
      return pipeline.flatten({ background: '#ffffff' }).jpeg({ quality });
  }
}
