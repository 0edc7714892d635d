import {
  canonicalJson,
  DECODABLE_MIMES,
  holdsAnimation,
  type PlannedRendition,
  planRenditions,
  type Recipe,
  splitSource,
} from '@uniferum/core/recipes';
import sharp from 'sharp';
import { isDiskFull } from '../../inspection/tool.js';
import { makeAnimated } from './animated.js';
import type { DecodedCache } from './decoded.js';
import type { MadeFile, RenderJob, RenderResult } from './job.js';
import { type KeptProfile, keepProfile, releaseProfile } from './kept-colours.js';
import { makeHash, makePlaceholder } from './look.js';
import { Marks } from './marks.js';
import { NOTHING_EMBEDDED, readSourceMetadata } from './metadata.js';
import { decode, type PictureContext, reasonOf, resized, StepError, stepReason } from './picture-context.js';
import { openPixels, type Pixels, toPixels } from './pixels.js';
import { DoesNotApplyError, openSource, type PictureFile, readDuration } from './sources.js';
import { makeStill } from './still.js';

/**
 * Makes all renditions of a job. The picture is decoded once to the plan's base. Renditions derived from it use those
 * pixels concurrently; those that need the source are made one by one, so that a process's memory stays bounded. A
 * recipe that fails does not affect the others.
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

/** Recipes that use different pages or moments of a file, or keep its colours, each get their own picture. */
function groupBySource(recipes: readonly Recipe[]): Recipe[][] {
  const groups = new Map<string, Recipe[]>();
  for (const recipe of recipes) {
    const key = canonicalJson([splitSource(recipe.steps).source, keepsColours(recipe)]);
    groups.set(key, [...(groups.get(key) ?? []), recipe]);
  }
  return [...groups.values()];
}

function keepsColours({ output }: Recipe): boolean {
  return output.colour === 'keep' && output.format !== 'gif';
}

async function renderGroup(
  job: RenderJob,
  result: RenderResult,
  { signal, decoded }: { signal?: AbortSignal; decoded?: DecodedCache },
): Promise<void> {
  const { recipes, file } = job;
  let picture: PictureFile | null = null;
  let profile: KeptProfile | null = null;
  try {
    picture = await openSource(file, splitSource(recipes[0]?.steps ?? []).source, job.maxPixels);
    const header = await sharp(picture.input, { failOn: 'none', page: picture.page }).metadata();
    const { autoOrient } = header;
    const metadata = recipes.some(({ output }) => output.metadata !== 'none')
      ? await readSourceMetadata(file.path, file.mime)
      : NOTHING_EMBEDDED;
    const size = { width: autoOrient.width, height: autoOrient.height };
    const marks = new Marks(job.marks);
    if (recipes[0] && keepsColours(recipes[0])) profile = await keepProfile(header);
    await renderPicture({ job, picture, size, marks, metadata, profile, signal, decoded }, result);
  } catch (error) {
    signal?.throwIfAborted();
    if (isDiskFull(error)) throw error;
    const reason = reasonOf(error, job);
    const code = error instanceof DoesNotApplyError ? 'not-applicable' : 'unreadable';
    for (const { name } of recipes) result.failed.push({ recipe: name, reason, code });
    if (recipes.length === 0) result.failed.push({ recipe: '', reason, code: 'unreadable' });
  } finally {
    await releaseProfile(profile);
    await picture?.release();
  }
}

async function renderPicture(context: PictureContext, result: RenderResult): Promise<void> {
  const { job, picture, size, signal } = context;
  const plan = planRenditions({ ...size, mime: picture.mime }, job.recipes, job.focal ?? undefined);
  for (const { recipe, fault } of plan.faults)
    result.failed.push({
      recipe: recipe.name,
      code: fault.code,
      reason: stepReason(recipe, fault.step, fault.message),
    });
  const base = plan.base && !job.keepDecoded ? await toPixels(resized(decode(context), plan.base)) : null;
  const isAnimated = (planned: PlannedRendition) =>
    context.picture.frames > 1 && holdsAnimation(planned.mime) && planned.recipe.output.animation !== 'first';
  const attempt = async (planned: PlannedRendition): Promise<MadeFile[]> => {
    try {
      if (isAnimated(planned)) return await makeAnimated({ ...context, profile: null }, planned);
      return await makeStill(context, planned, planned.from === 'base' ? base : null);
    } catch (error) {
      signal?.throwIfAborted();
      if (isDiskFull(error)) throw error;
      const code = error instanceof StepError ? error.code : 'unreadable';
      result.failed.push({ recipe: planned.recipe.name, reason: reasonOf(error, job), code });
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
  // The file itself is always looked at in sRGB.
  if (job.look)
    await look({ ...context, profile: null }, result, plan.renditions, context.profile ? null : base);
}

/** Analyses the file itself, from existing pixels where possible. */
async function look(
  context: PictureContext,
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
    makePlaceholder(small ? sharp(small.data) : decode(context)),
    DECODABLE_MIMES.includes(context.job.file.mime)
      ? makeHash(base ? openPixels(base) : decode(context))
      : null,
  ]);
  result.placeholder = placeholder;
  result.phash = phash;
}
