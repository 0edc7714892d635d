import { nearestRendition, type RenditionState, recipeApplies } from '@uniferum/core/recipes';
import { type AssetRow, holdAssets } from '../library/asset-queries.js';
import type { BoundRun } from '../runs/handler.js';
import { beginGroupedRun } from '../runs/ledger.js';
import { defineRun, type UndoRun } from '../runs/run-kind.js';
import type { Database, Executor } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { dropRenditions, putRenditions } from './put-renditions.js';
import { findRenditions, type RenditionRow, UNKNOWN_ORIGIN } from './queries.js';
import { holdRecipes } from './recipe-lock-queries.js';
import { listRecipes } from './recipe-queries.js';
import {
  findRemoved,
  forgetRemoved,
  insertRemoved,
  listRemovedKeys,
  listSurplusKeys,
  lockRemoved,
  type RenditionKey,
  type SurplusFilter,
} from './surplus-queries.js';

/** How long a deletion can be undone. */
export const RESTORABLE_DAYS = 30;
const KEYS_PER_ITEM = 200;

/** Restores what a run deleted. */
const undoRemoval: UndoRun = async (db, run, by) => {
  const keys = await listRemovedKeys(db, run.id);
  if (keys.length === 0)
    throw new UniferumError(
      'conflict',
      `Nothing of "${run.title}" can be restored: it was already restored, or deleted more than ${RESTORABLE_DAYS} days ago.`,
    );
  return beginGroupedRun(
    db,
    surplusRestoreRun,
    { title: `Undoing: ${run.title}`, by, undoOf: run.id },
    {
      subjects: keys,
      perItem: KEYS_PER_ITEM,
      inputOf: (some) => ({ run: run.id, keys: some }),
    },
  );
};

export const surplusRemoveRun = defineRun<{ keys: RenditionKey[] }>({
  kind: 'surplus-remove',
  label: 'Delete surplus renditions',
  countsBytes: true,
  undo: undoRemoval,
});
export const surplusRestoreRun = defineRun<{ run: string; keys: RenditionKey[] }>({
  kind: 'surplus-restore',
  label: 'Restore surplus renditions',
});

/** Starts deleting surplus renditions. Their URLs redirect to the nearest equivalent. @returns the run's id */
export async function beginRemoval(db: Database, filter: SurplusFilter, by: string): Promise<string> {
  const keys = await listSurplusKeys(db, filter);
  const title = `Deleting ${keys.length.toLocaleString('en-GB')} surplus ${keys.length === 1 ? 'rendition' : 'renditions'}`;
  return beginGroupedRun(
    db,
    surplusRemoveRun,
    { title, by },
    {
      subjects: keys,
      perItem: KEYS_PER_ITEM,
      inputOf: (some) => ({ keys: some }),
    },
  );
}

/** Deletes surplus renditions; those that a recipe needs again stay. */
export const surplusRemoveHandler: BoundRun = surplusRemoveRun.bind({
  work: async ({ keys }, { runId }) => ({
    outcome: 'done',
    record: async (tx) => {
      await holdRecipes(tx);
      const assets = await holdAssets(tx, assetsOf(keys));
      const present = await findRenditions(tx, assetsOf(keys), { lock: true });
      const rows = present.filter((row) => row.state === 'surplus' && isAmong(row, keys));
      await insertRemoved(tx, runId, rows);
      for (const asset of assets)
        await dropRenditions(
          tx,
          rows.filter(({ asset_id }) => asset_id === asset.id),
          asset,
        );
      const bytes = rows.reduce((sum, row) => sum + (row.bytes ?? 0), 0);
      return {
        done: rows.length,
        skipped: keys.length - rows.length,
        failed: 0,
        bytes: { before: bytes, after: 0 },
      };
    },
  }),
});

/** Restores deleted renditions as surplus; one whose recipe needs it again is outdated. */
export const surplusRestoreHandler: BoundRun = surplusRestoreRun.bind({
  work: async ({ run, keys }) => ({
    outcome: 'done',
    record: async (tx) => {
      await holdRecipes(tx);
      const assets = new Map((await holdAssets(tx, assetsOf(keys))).map((asset) => [asset.id, asset]));
      const removed = await lockRemoved(tx, run, keys);
      const present = await findRenditions(tx, assetsOf(keys), { lock: true });
      const recipes = await listRecipes(tx);
      const back = removed.filter(
        (row) => assets.has(row.asset_id) && !present.some((one) => isSame(one, row) && one.sha256 !== null),
      );
      for (const row of back) {
        const asset = assets.get(row.asset_id) as AssetRow;
        const isWanted = recipes.some(
          (recipe) =>
            recipe.name === row.recipe &&
            row.variant === '' &&
            recipeApplies(recipe, { ...asset, folder: asset.folder_path }),
        );
        const state: RenditionState = isWanted ? 'outdated' : 'surplus';
        const before = present.find((one) => isSame(one, row)) ?? null;
        await putRenditions(tx, [{ before, after: { ...row, ...UNKNOWN_ORIGIN, state } }], asset);
        await forgetRemoved(tx, row.asset_id, [row]);
      }
      return { done: back.length, skipped: keys.length - back.length, failed: 0 };
    },
  }),
});

/** What to show at the URL of a deleted rendition: the nearest one of the same asset; null for the original. */
export async function substituteOf(
  db: Executor,
  assetId: number,
  recipe: string,
  variant: string,
): Promise<{ isKnown: boolean; instead: RenditionRow | null }> {
  const removed = await findRemoved(db, assetId, recipe, variant);
  if (removed === null) return { isKnown: false, instead: null };
  return { isKnown: true, instead: chooseSubstitute(removed, await findRenditions(db, [assetId])) };
}

/** The rendition of an asset nearest to a deleted one; null for none. */
export function chooseSubstitute(
  gone: { width: number; height: number; mime: string },
  rows: readonly RenditionRow[],
): RenditionRow | null {
  const candidates = rows
    .filter(
      ({ sha256, state, width, height, mime }) =>
        sha256 !== null && state !== 'surplus' && width && height && mime,
    )
    .map((row) => ({ row, width: row.width ?? 1, height: row.height ?? 1, mime: row.mime ?? '' }));
  return nearestRendition(gone, candidates)?.row ?? null;
}

function assetsOf(keys: readonly RenditionKey[]): string[] {
  return [...new Set(keys.map(([asset]) => String(asset)))];
}

function isAmong(
  row: { asset_id: number; recipe: string; variant: string },
  keys: readonly RenditionKey[],
): boolean {
  return keys.some(
    ([asset, recipe, variant]) => row.asset_id === asset && row.recipe === recipe && row.variant === variant,
  );
}

type Keyed = { asset_id: number; recipe: string; variant: string };

function isSame(a: Keyed, b: Keyed): boolean {
  return a.asset_id === b.asset_id && a.recipe === b.recipe && a.variant === b.variant;
}
