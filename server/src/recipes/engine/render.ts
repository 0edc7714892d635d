import {
  canonicalJson,
  computeRungs,
  DECODABLE_MIMES,
  extensionOfMime,
  givenRungs,
  HASH_INPUT_SIDE,
  holdsAnimation,
  type PlannedRendition,
  perceptualHash,
  planRenditions,
  type Recipe,
  type Region,
  resolveStep,
  type Size,
  STEP_KINDS,
  splitSource,
  toWholePixels,
  variantName,
} from '@uniferum/core';
import sharp, { type Sharp } from 'sharp';
import { readEmbedded } from '../../intake/embedded.js';
import { canvasOf, carryOut, openPixels, type Pixels, toPixels } from './canvas.js';
import type { DecodedCache } from './decoded.js';
import {
  type EncodedFile,
  encodeFrames,
  type Rights,
  type Timing,
  withFormat,
  withRights,
} from './encode.js';
import type { MadeFile, RenderJob, RenderResult } from './job.js';
import { Marks } from './marks.js';
import { openSource, type PictureFile, readDuration } from './sources.js';

const PLACEHOLDER_PX = 16;

/** What all renditions of one picture share. */
interface Workshop {
  job: RenderJob;
  picture: PictureFile;
  /** Of the file as it is, which may differ from what its name or its header's first reader said. */
  size: Size;
  pages: number;
  marks: Marks;
  rights: Rights;
  signal: AbortSignal | undefined;
  decoded: DecodedCache | undefined;
}

/**
 * Makes all renditions that a job asks for. The picture is decoded once to the plan's base; what is derived from it takes
 * the pixels from there, side by side; what needs the source is made one by one, so that a process's memory stays bounded.
 * A recipe that can't be carried out fails by itself, and the others are made.
 */
export async function renderJob(
  job: RenderJob,
  options: { signal?: AbortSignal; decoded?: DecodedCache } = {},
): Promise<RenderResult> {
  const result: RenderResult = {
    made: [],
    failed: [],
    workMs: {},
    placeholder: null,
    phash: null,
    duration: null,
  };
  const groups = groupBySource(job.recipes);
  if (groups.length === 0 && job.look) groups.push([]);
  for (const [index, recipes] of groups.entries()) {
    options.signal?.throwIfAborted();
    const began = performance.now();
    await renderGroup({ ...job, recipes, look: job.look && index === 0 }, result, options);
    const share = (performance.now() - began) / Math.max(1, recipes.length);
    for (const { name } of recipes) result.workMs[name] = Math.round(share);
  }
  if (job.look && (job.file.kind === 'audio' || job.file.kind === 'video'))
    result.duration = await readDuration(job.file.path);
  return result;
}

/** Recipes that take different pages or moments of a file each get their own picture. */
function groupBySource(recipes: readonly Recipe[]): Recipe[][] {
  const groups = new Map<string, Recipe[]>();
  for (const recipe of recipes) {
    const key = canonicalJson(splitSource(recipe.steps).source);
    groups.set(key, [...(groups.get(key) ?? []), recipe]);
  }
  return [...groups.values()];
}

async function renderGroup(
  job: RenderJob,
  result: RenderResult,
  { signal, decoded }: { signal?: AbortSignal; decoded?: DecodedCache },
): Promise<void> {
  const { recipes, file } = job;
  let picture: PictureFile | null = null;
  try {
    picture = await openSource(file, splitSource(recipes[0]?.steps ?? []).source);
    const { autoOrient, pages = 1 } = await sharp(picture.path).metadata();
    const rights = recipes.some(({ output }) => output.metadata === 'rights')
      ? await readRights(file.path)
      : { artist: null, copyright: null };
    const size = { width: autoOrient.width, height: autoOrient.height };
    const marks = new Marks(job.marks);
    await renderPicture({ job, picture, size, pages, marks, rights, signal, decoded }, result);
  } catch (error) {
    signal?.throwIfAborted();
    const reason = reasonOf(error);
    for (const { name } of recipes) result.failed.push({ recipe: name, reason, code: 'unreadable' });
    if (recipes.length === 0) result.failed.push({ recipe: '', reason, code: 'unreadable' });
  } finally {
    await picture?.release();
  }
}

async function renderPicture(shop: Workshop, result: RenderResult): Promise<void> {
  const { job, picture, size, signal } = shop;
  const plan = planRenditions({ ...size, mime: picture.mime }, job.recipes, job.focal ?? undefined);
  for (const { recipe, fault } of plan.faults)
    result.failed.push({
      recipe: recipe.name,
      code: fault.code,
      reason: stepReason(recipe, fault.step, fault.message),
    });
  const base = plan.base && !job.keepDecoded ? await toPixels(resized(decode(shop), plan.base)) : null;
  const isAnimated = (planned: PlannedRendition) =>
    shop.pages > 1 && holdsAnimation(planned.mime) && planned.recipe.output.animation !== 'first';
  const attempt = async (planned: PlannedRendition): Promise<MadeFile[]> => {
    try {
      if (isAnimated(planned)) return await makeAnimated(shop, planned);
      return await makeStill(shop, planned, planned.from === 'base' ? base : null);
    } catch (error) {
      signal?.throwIfAborted();
      const code = error instanceof StepError ? error.code : 'unreadable';
      result.failed.push({ recipe: planned.recipe.name, reason: reasonOf(error), code });
      return [];
    }
  };
  const derived = await Promise.all(
    plan.renditions.map((planned) =>
      base && planned.from === 'base' && !isAnimated(planned) ? attempt(planned) : null,
    ),
  );
  for (const [index, planned] of plan.renditions.entries()) {
    signal?.throwIfAborted();
    result.made.push(...(derived[index] ?? (await attempt(planned))));
  }
  if (job.look) await look(shop, result, plan.renditions, base);
}

/** What the file itself looks like, from pixels that are there already where possible. */
async function look(
  shop: Workshop,
  result: RenderResult,
  planned: readonly PlannedRendition[],
  base: Pixels | null,
): Promise<void> {
  const whole = planned
    .filter(({ region, rest }) => region === null && rest.length === 0)
    .map(({ recipe }) => recipe.name);
  const small = result.made
    .filter(({ recipe, variant }) => variant === null && whole.includes(recipe))
    .sort((a, b) => a.width - b.width)[0];
  const [placeholder, phash] = await Promise.all([
    makePlaceholder(small ? sharp(small.data) : decode(shop)),
    DECODABLE_MIMES.includes(shop.job.file.mime) ? makeHash(base ? openPixels(base) : decode(shop)) : null,
  ]);
  result.placeholder = placeholder;
  result.phash = phash;
}

function decode({ picture, job }: Workshop, options: { density?: number; pages?: number } = {}): Sharp {
  return sharp(picture.path, { limitInputPixels: job.maxPixels, failOn: 'error', ...options }).autoOrient();
}

async function makeStill(
  shop: Workshop,
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
    data,
    width: info.width,
    height: info.height,
    quality: hasQuality ? quality : null,
    likeness: null,
  };
}

async function beginStill(shop: Workshop, planned: PlannedRendition): Promise<Sharp> {
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

async function makeAnimated(shop: Workshop, planned: PlannedRendition): Promise<MadeFile[]> {
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
  { size: source, job, picture }: Workshop,
): Region | null {
  if (region === null) return null;
  const alone = planRenditions({ ...source, mime: picture.mime }, [recipe], job.focal ?? undefined)
    .renditions[0];
  return alone?.region ?? { left: 0, top: 0, ...size };
}

/** Follows the steps after the first cut, each on the pixels that the one before it left. */
async function followRest(
  begun: Pixels,
  { recipe, rest, focal }: PlannedRendition,
  shop: Workshop,
  found: Map<number, Region>,
): Promise<Pixels> {
  let pixels = begun;
  let focus = focal;
  let operationIndex = 0;
  const firstRest = recipe.steps.length - rest.length;
  for (const [index, step] of rest.entries()) {
    shop.signal?.throwIfAborted();
    const resolved = resolveStep(step, canvasOf(pixels, focus));
    if (!resolved.ok)
      throw new StepError(resolved.fault.code, stepReason(recipe, firstRest + index, resolved.fault.message));
    for (const operation of resolved.operations) {
      operationIndex += 1;
      try {
        pixels = await carryOut(pixels, operation, operationIndex, { marks: shop.marks, found });
      } catch (error) {
        throw new StepError('step', stepReason(recipe, firstRest + index, reasonOf(error)));
      }
    }
    focus = resolved.after.focal;
  }
  return pixels;
}

/** Makes the rungs of a ladder and the further formats of what the steps came to. */
async function makeFiles(
  frames: readonly Pixels[],
  { recipe, mime }: PlannedRendition,
  shop: Workshop,
  timing: Timing | null,
): Promise<MadeFile[]> {
  const [first] = frames;
  if (!first) throw new Error('it has no frame');
  const { output, ladder } = recipe;
  const metadata = { path: shop.picture.path, rights: shop.rights };
  const scaled = async (size: Size) =>
    Promise.all(
      frames.map(async (frame) =>
        frame.width === size.width && frame.height === size.height
          ? frame
          : toPixels(resized(openPixels(frame), size)),
      ),
    );
  const encodeAt = async (size: Size, type: string) =>
    encodeFrames(await scaled(size), type, output, {
      timing: holdsAnimation(type) ? timing : null,
      metadata,
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
      shop.signal?.throwIfAborted();
      const made = (type === mime ? measured.get(rung.width) : undefined) ?? (await encodeAt(rung, type));
      const isMain = type === mime && index === 0;
      const variant = isMain ? null : variantName(rung.width, extensionOfMime(type) ?? 'bin');
      files.push(named(recipe, variant, type, made));
    }
  }
  return files;
}

function named(recipe: Recipe, variant: string | null, mime: string, made: EncodedFile): MadeFile {
  return { recipe: recipe.name, variant, mime, ...made };
}

function cut(picture: Sharp, region: Region | null, size: Size, from: Size): Sharp {
  const part = region ? picture.extract(region) : picture;
  const { width, height } = region ?? from;
  return width === size.width && height === size.height ? part : resized(part, size);
}

function resized(picture: Sharp, { width, height }: Size): Sharp {
  return picture.resize(width, height, { fit: 'fill' });
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

async function readRights(path: string): Promise<Rights> {
  const embedded = await readEmbedded(path);
  const first = (...fields: (keyof typeof embedded)[]) =>
    fields.map((field) => embedded[field]).find((value) => typeof value === 'string') as string | undefined;
  return {
    artist: first('exif:artist', 'xmp:creator', 'iptc:byline') ?? null,
    copyright: first('exif:copyright', 'xmp:rights', 'iptc:copyright') ?? null,
  };
}

/** A step that could not be carried out on this picture. */
class StepError extends Error {
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}

/** @param index of the step in the whole chain, from 0 */
function stepReason(recipe: Recipe, index: number, message: string): string {
  const step = recipe.steps[index];
  return `step ${index + 1}${step ? ` (${STEP_KINDS[step.op].title.toLowerCase()})` : ''}: ${message}`;
}

function reasonOf(error: unknown): string {
  const message = error instanceof Error ? error.message : String(error);
  return message.trim().replace(/\.$/, '').split('\n')[0] ?? message;
}
