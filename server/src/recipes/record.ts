import type { Recipe } from '@uniferum/core/recipes';
import { recordEvent } from '../events/outbox.js';
import {
  type AssetRow,
  findAsset,
  lockAsset,
  updateDuration,
  updatePlaceholder,
} from '../library/asset-queries.js';
import type { NewBlob } from '../library/blob-queries.js';
import { recordBlobs } from '../library/blobs.js';
import { updateHash } from '../library/similar-queries.js';
import type { ByteStore } from '../shared/byte-store.js';
import type { Transaction } from '../shared/database.js';
import { contentDigest, focalOf, focalPoint, marksDigest } from './digests.js';
import type { RenderResult, WrittenFile } from './engine/job.js';
import { renditionsChanged } from './events.js';
import type { FoundMarks } from './find-marks.js';
import { type Change, putRenditions } from './put-renditions.js';
import { findRenditions, type RenditionRow } from './queries.js';
import { holdRecipes } from './recipe-lock-queries.js';
import { listRecipes } from './recipe-queries.js';
import { forgetRemoved } from './surplus-queries.js';

/** The result of a rendering. */
export interface Made {
  recipes: Recipe[];
  marks: FoundMarks;
  result: RenderResult<WrittenFile>;
}

/**
 * Records the files made, and the failures. If the recipe or file has changed meanwhile, the files are outdated, and
 * failures say nothing about the new state.
 */
export async function recordMade(
  tx: Transaction,
  { asset, recipes, marks, result, store }: Made & { asset: AssetRow; store: ByteStore },
): Promise<{ bytes: { before: number; after: number } }> {
  const id = String(asset.id);
  const now = await holdForRecord(tx, id);
  const bytes = { before: 0, after: 0 };
  // The asset was purged meanwhile: its renditions are not needed.
  if (now === null) return { bytes };
  const rows = await findRenditions(tx, [asset.id], { lock: true });
  const current = new Map((await listRecipes(tx)).map((recipe) => [recipe.name, recipe]));
  const changed: Change[] = [];
  const blobs: NewBlob[] = [];
  for (const recipe of recipes) {
    const files = result.made.filter((file) => file.recipe === recipe.name);
    const own = rows.filter((row) => row.recipe === recipe.name);
    // The recipe was deleted meanwhile: its renditions are not needed.
    if (files.length === 0 || !own.some(({ variant }) => variant === '')) continue;
    const isCurrent = madeByNow(current.get(recipe.name), recipe, { asset, now });
    changed.push(...changesOf(files, own, { asset, recipe, marks, isCurrent, result }));
    for (const { sha256, crc32, bytes: size } of files) {
      blobs.push({ sha256, crc32, bytes: size, store: store.name, key: store.keyOf(sha256) });
      bytes.after += size;
    }
    bytes.before += own.reduce((sum, row) => sum + (row.state === 'surplus' ? 0 : (row.bytes ?? 0)), 0);
  }
  await recordBlobs(tx, blobs);
  await putRenditions(tx, changed, now);
  await forgetRemoved(
    tx,
    asset.id,
    changed.filter(({ before }) => before === null || before.sha256 === null).map(({ after }) => after),
  );
  const failed = result.failed.filter(({ recipe: name }) => {
    const recipe = recipes.find((one) => one.name === name);
    return recipe !== undefined && madeByNow(current.get(name), recipe, { asset, now });
  });
  await putInapplicable(
    tx,
    now,
    rows,
    new Map(failed.filter(doesNotApply).map((one) => [one.recipe, one.reason])),
  );
  await putFailures(
    tx,
    now,
    rows,
    new Map(
      failed
        .filter((one) => !doesNotApply(one))
        .map(({ recipe, reason, code }) => [
          recipe,
          code === 'unreadable' ? unreadable(asset, reason) : `${asset.name}: ${reason}.`,
        ]),
    ),
  );
  if (now.sha256 === asset.sha256) await recordLook(tx, asset, result);
  await recordEvent(tx, {
    event: renditionsChanged,
    asset: id,
    by: 'Uniferum',
    data: { id, made: [...new Set(result.made.map(({ recipe }) => recipe))] },
  });
  return { bytes };
}

/** Locks the recipes and an asset, in the common order. @returns null when the asset was purged */
async function holdForRecord(tx: Transaction, id: string): Promise<AssetRow | null> {
  await holdRecipes(tx);
  await lockAsset(tx, id);
  return findAsset(tx, id);
}

/** Tells whether recipe and file are unchanged since a rendition was made. */
function madeByNow(
  recipeNow: Recipe | undefined,
  recipe: Recipe,
  { asset, now }: { asset: AssetRow; now: AssetRow },
): boolean {
  return (
    recipeNow !== undefined &&
    contentDigest(recipeNow) === contentDigest(recipe) &&
    now.sha256 === asset.sha256 &&
    focalOf(recipe, focalPoint(now)) === focalOf(recipe, focalPoint(asset))
  );
}

/** Computes the row changes for the files of one recipe. */
function changesOf(
  files: readonly WrittenFile[],
  own: readonly RenditionRow[],
  {
    asset,
    recipe,
    marks,
    isCurrent,
    result,
  }: Pick<Made, 'marks' | 'result'> & { asset: AssetRow; recipe: Recipe; isCurrent: boolean },
): Change[] {
  const origin = {
    revision: recipe.revision,
    version: asset.version,
    content: contentDigest(recipe),
    source_sha: asset.sha256,
    focal: focalOf(recipe, focalPoint(asset)),
    marks: marksDigest(recipe, (path) => marks.get(path)?.sha256 ?? null),
    work_ms: result.workMs[recipe.name] ?? null,
  };
  const made = files.map(({ variant, mime, width, height, quality, likeness, sha256, bytes }): Change => {
    const before = own.find((row) => row.variant === (variant ?? '')) ?? null;
    return {
      before,
      after: {
        asset_id: asset.id,
        recipe: recipe.name,
        variant: variant ?? '',
        // Changed while it was being made: it is shown, and stays outdated.
        state: isCurrent ? 'fresh' : 'outdated',
        ...origin,
        sha256,
        bytes,
        mime,
        width,
        height,
        quality,
        likeness,
        error: null,
      },
    };
  });
  // A late result does not replace a file made from a newer state.
  const welcome = isCurrent ? made : made.filter(({ before }) => before?.state !== 'fresh');
  // Sizes that are no longer made stay at their URLs, because a page may show them.
  const gone = own
    .filter(
      (row) =>
        row.variant !== '' &&
        row.state !== 'surplus' &&
        !files.some(({ variant }) => variant === row.variant),
    )
    .map((row): Change => ({ before: row, after: { ...row, state: 'surplus' } }));
  return isCurrent ? [...welcome, ...gone] : welcome;
}

async function recordLook(
  tx: Transaction,
  asset: AssetRow,
  { placeholder, phash, duration }: Omit<RenderResult, 'made'>,
): Promise<void> {
  const id = String(asset.id);
  if (placeholder !== null) await updatePlaceholder(tx, id, placeholder);
  if (phash !== null && asset.phash !== phash) await updateHash(tx, id, phash);
  if (duration !== null && asset.duration !== duration) await updateDuration(tx, id, duration);
}

/**
 * Records why renditions failed. Files made before stay, and are shown.
 *
 * @param sha256 the bytes that failed: a newer version is not affected
 */
export async function recordFailures(
  tx: Transaction,
  assetId: string,
  { sha256, reasons }: { sha256: string | null; reasons: ReadonlyMap<string, string> },
): Promise<void> {
  if (reasons.size === 0) return;
  const now = await holdForRecord(tx, assetId);
  if (now === null || (sha256 !== null && now.sha256 !== sha256)) return;
  await putFailures(tx, now, await findRenditions(tx, [assetId], { lock: true }), reasons);
}

async function putFailures(
  tx: Transaction,
  asset: AssetRow,
  rows: readonly RenditionRow[],
  reasons: ReadonlyMap<string, string>,
): Promise<void> {
  if (reasons.size === 0) return;
  const id = String(asset.id);
  const meant = rows.filter(({ recipe, variant }) => variant === '' && reasons.has(recipe));
  await putRenditions(
    tx,
    meant.map((row) => ({
      before: row,
      after: { ...row, state: 'failed', error: reasons.get(row.recipe)?.slice(0, MAX_ERROR) ?? null },
    })),
    asset,
  );
  await recordEvent(tx, {
    event: renditionsChanged,
    asset: id,
    by: 'Uniferum',
    data: { id, failed: [...reasons.values()][0]?.slice(0, MAX_ERROR) },
  });
}

/** Tells whether the only problem is that the file has no such page or moment. */
export function doesNotApply({ code }: { code: string }): boolean {
  return code === 'not-applicable';
}

/** Records that a recipe does not apply to a file. Files from an earlier version stay, because a page may show them. */
async function putInapplicable(
  tx: Transaction,
  asset: AssetRow,
  rows: readonly RenditionRow[],
  reasons: ReadonlyMap<string, string>,
): Promise<void> {
  await putRenditions(
    tx,
    rows
      .filter(({ recipe, state }) => reasons.has(recipe) && state !== 'surplus')
      .map((row) => ({
        before: row,
        after: {
          ...row,
          state: row.sha256 === null ? 'not-applicable' : 'surplus',
          error: `It does not apply to ${asset.name}: ${reasons.get(row.recipe)}.`.slice(0, MAX_ERROR),
        },
      })),
    asset,
  );
}

/** The maximum length of a stored failure reason. */
const MAX_ERROR = 2000;

/** Says why a file cannot be processed. */
export function unreadable({ name, kind }: AssetRow, reason: string): string {
  return kind === 'image' || kind === 'vector'
    ? `${name} can't be decoded: ${reason}. Open it in an image editor, save it again and replace the file.`
    : `No picture can be created from ${name}: ${reason}.`;
}
