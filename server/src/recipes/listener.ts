import { joinPath } from '@uniferum/core/library';
import { allWatermarks } from '@uniferum/core/recipes';
import { type AssetRow, findAssets } from '../library/asset-queries.js';
import type { ArrivedAsset, AssetListener } from '../library/joints.js';
import type { Transaction } from '../shared/database.js';
import {
  countRenditions,
  orderOptimising,
  orderRenditions,
  type RecipeSubject,
  reassessWatermarked,
  refreshRenditions,
} from './bookkeeping.js';
import { focalPoint } from './digests.js';
import { makeAtOnce } from './make-now.js';
import { keepPreview } from './preview.js';
import { adoptRenditions, deleteRenditionsOf } from './queries.js';
import { holdRecipes, lockRecipes } from './recipe-lock-queries.js';
import { listRecipes } from './recipe-queries.js';
import type { RenderTools } from './tools.js';

/** Keeps renditions in step with their assets. */
export function recipesListener(tools: RenderTools): AssetListener {
  return {
    lock: lockRecipesFor,
    async arrived(tx, assets, by) {
      await orderRenditions(tx, assets, by);
      for (const asset of assets) await recordPreview(tx, asset);
    },
    async changed(tx, before, after, by) {
      const isElsewhere = before.folder_path !== after.folder_path;
      const isCutElsewhere = before.focal_x !== after.focal_x || before.focal_y !== after.focal_y;
      if (isElsewhere || isCutElsewhere) await refreshRenditions(tx, subjectOf(after), by);
    },
    async replaced(tx, { before, after, looksTheSame, optimisedFrom }, by) {
      const id = String(after.id);
      if (looksTheSame)
        await adoptRenditions(tx, id, { from: before.sha256, to: after.sha256, version: after.version });
      await refreshRenditions(tx, subjectOf(after), by);
      if (optimisedFrom === null)
        await orderOptimising(tx, { id, name: after.name, folder: after.folder_path }, by);
    },
    async binned(tx, row) {
      await countRenditions(tx, String(row.id), -1);
      await reassessWatermarked(tx, row.folder_path, row.name);
    },
    async restored(tx, row, by) {
      await countRenditions(tx, String(row.id), 1);
      await refreshRenditions(tx, subjectOf(row), by);
    },
    purged: deleteRenditionsOf,
    awaited: (db, ids) => makeAtOnce({ ...tools, db }, ids),
  };
}

/**
 * Locks the recipes for a change to assets. The lock is exclusive when a watermark changes, because the recipes'
 * files are reassessed.
 */
async function lockRecipesFor(
  tx: Transaction,
  { paths, ids }: { paths: readonly string[]; ids: readonly string[] },
): Promise<void> {
  const marks = new Set(allWatermarks(await listRecipes(tx)));
  const assets = marks.size > 0 ? await findAssets(tx, ids.map(Number)) : [];
  const touched = [...paths, ...assets.map(({ folder_path, name }) => joinPath(folder_path, name))];
  if (touched.some((path) => marks.has(path))) await lockRecipes(tx);
  else await holdRecipes(tx);
}

async function recordPreview(tx: Transaction, { id, preview }: ArrivedAsset): Promise<void> {
  if (preview) await keepPreview(tx, id, preview);
}

function subjectOf(row: AssetRow): RecipeSubject &
  Pick<AssetRow, 'revision' | 'sha256'> & {
    focal: ReturnType<typeof focalPoint>;
  } {
  const { name, kind, mime, revision, sha256 } = row;
  return {
    id: String(row.id),
    name,
    kind,
    mime,
    folder: row.folder_path,
    revision,
    sha256,
    focal: focalPoint(row),
  };
}
