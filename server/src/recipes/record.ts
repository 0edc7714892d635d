import type { Recipe } from '@uniferum/core';
import { recordEvent } from '../hooks/outbox.js';
import { type AssetRow, findAsset, updateDuration, updatePlaceholder } from '../library/asset-queries.js';
import type { NewBlob } from '../library/blob-queries.js';
import { recordBlobs } from '../library/blobs.js';
import { updateHash } from '../library/similar-queries.js';
import { addToTallies, type TallyChange } from '../library/tallies.js';
import type { Transaction } from '../shared/database.js';
import type { ByteStore } from '../stores/byte-store.js';
import { contentDigest, focalOf, focalPoint, marksDigest } from './digests.js';
import type { RenderResult, WrittenFile } from './engine/job.js';
import type { FoundMarks } from './find-marks.js';
import { deleteRenditions, findRenditions, type RenditionRow, updateRenditions } from './queries.js';
import { listRecipes } from './recipe-queries.js';
import { forgetRemoved } from './surplus-queries.js';

/** What a rendering came to. */
export interface Made {
  recipes: Recipe[];
  marks: FoundMarks;
  result: RenderResult<WrittenFile>;
}

/** Writes what was made, and what could not be. A recipe or file that changed meanwhile leaves it outdated. */
export async function recordMade(
  tx: Transaction,
  { asset, recipes, marks, result, store }: Made & { asset: AssetRow; store: ByteStore },
): Promise<{ bytes: { before: number; after: number } }> {
  const id = String(asset.id);
  const rows = await findRenditions(tx, [asset.id], { lock: true });
  const current = new Map((await listRecipes(tx)).map((recipe) => [recipe.name, recipe]));
  const now = await findAsset(tx, id);
  const changed: Change[] = [];
  const blobs: NewBlob[] = [];
  const bytes = { before: 0, after: 0 };
  for (const recipe of recipes) {
    const own = rows.filter((row) => row.recipe === recipe.name);
    const main = own.find(({ variant }) => variant === '');
    const files = result.made.filter((file) => file.recipe === recipe.name);
    // The recipe was taken away meanwhile: nobody asks for it any more.
    if (!main || files.length === 0) continue;
    // Changed while it was being made: it is shown, and stays outdated.
    const recipeNow = current.get(recipe.name);
    const focal = focalOf(recipe, focalPoint(asset));
    const isCurrent =
      recipeNow !== undefined &&
      contentDigest(recipeNow) === contentDigest(recipe) &&
      now?.sha256 === asset.sha256 &&
      focalOf(recipe, focalPoint(now)) === focal;
    const origin = {
      revision: recipe.revision,
      version: asset.version,
      content: contentDigest(recipe),
      source_sha: asset.sha256,
      focal,
      marks: marksDigest(recipe, (path) => marks.get(path)?.sha256 ?? null),
      work_ms: result.workMs[recipe.name] ?? null,
    };
    for (const file of files) {
      const variant = file.variant ?? '';
      const before = own.find((row) => row.variant === variant) ?? null;
      const { mime, width, height, quality, likeness, sha256, crc32, bytes: size } = file;
      blobs.push({ sha256, crc32, bytes: size, store: store.name, key: store.keyOf(sha256) });
      changed.push({
        before,
        after: {
          asset_id: asset.id,
          recipe: recipe.name,
          variant,
          state: isCurrent ? 'fresh' : 'outdated',
          ...origin,
          sha256,
          bytes: size,
          mime,
          width,
          height,
          quality,
          likeness,
          error: null,
        },
      });
      bytes.after += size;
    }
    bytes.before += own.reduce((sum, row) => sum + (row.state === 'surplus' ? 0 : (row.bytes ?? 0)), 0);
    // Sizes that are made no more stay at their addresses, because a page may show them.
    for (const row of own)
      if (
        row.variant !== '' &&
        row.state !== 'surplus' &&
        !files.some(({ variant }) => variant === row.variant)
      )
        changed.push({ before: row, after: { ...row, state: 'surplus' } });
  }
  await recordBlobs(tx, blobs);
  await putRenditions(tx, changed);
  await forgetRemoved(
    tx,
    asset.id,
    changed.filter(({ before }) => before === null || before.sha256 === null).map(({ after }) => after),
  );
  await recordFailures(
    tx,
    id,
    new Map(
      result.failed.map(({ recipe, reason, code }) => [
        recipe,
        code === 'unreadable' ? unreadable(asset, reason) : `${asset.name}: ${reason}.`,
      ]),
    ),
  );
  if (now?.sha256 === asset.sha256) await recordLook(tx, asset, result);
  await recordEvent(tx, {
    type: 'asset.renditions',
    asset: id,
    by: 'Uniferum',
    data: { id, made: [...new Set(result.made.map(({ recipe }) => recipe))] },
  });
  return { bytes };
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

/** Writes down why renditions could not be made. What was made before stays, and is shown. */
export async function recordFailures(
  tx: Transaction,
  assetId: string,
  reasons: ReadonlyMap<string, string>,
): Promise<void> {
  if (reasons.size === 0) return;
  const rows = await findRenditions(tx, [assetId], { lock: true });
  const meant = rows.filter(({ recipe, variant }) => variant === '' && reasons.has(recipe));
  await putRenditions(
    tx,
    meant.map((row) => ({
      before: row,
      after: { ...row, state: 'failed', error: reasons.get(row.recipe) ?? null },
    })),
  );
  await recordEvent(tx, {
    type: 'asset.renditions',
    asset: assetId,
    by: 'Uniferum',
    data: { id: assetId, failed: [...reasons.values()][0] },
  });
}

/** A row before and after; null before for one that is new. */
export interface Change {
  before: RenditionRow | null;
  after: RenditionRow;
}

/** Writes renditions, and counts them. */
export async function putRenditions(tx: Transaction, changed: readonly Change[]): Promise<void> {
  await updateRenditions(
    tx,
    changed.map(({ after }) => after),
  );
  await addToTallies(
    tx,
    changed.flatMap(({ before, after }) => [...(before ? [counted(before, -1)] : []), counted(after, 1)]),
  );
}

/** Removes renditions, and takes them out of the counts. */
export async function dropRenditions(tx: Transaction, rows: readonly RenditionRow[]): Promise<void> {
  await deleteRenditions(tx, rows);
  await addToTallies(
    tx,
    rows.map((row) => counted(row, -1)),
  );
}

/** Main files count as renditions; the bytes of all their sizes and formats count with them. */
export function counted({ recipe, variant, state, bytes }: RenditionRow, sign: 1 | -1): TallyChange {
  return {
    scope: `recipe:${recipe}`,
    name: state,
    items: variant === '' ? sign : 0,
    bytes: sign * (bytes ?? 0),
  };
}

/** Says why a file can't be worked on. */
export function unreadable({ name, kind }: AssetRow, reason: string): string {
  return kind === 'image' || kind === 'vector'
    ? `${name} can't be decoded: ${reason}. Open and save it again in a picture editor, and replace it.`
    : `No picture can be made of ${name}: ${reason}.`;
}
