import { nearestRendition, type RenditionState, recipeApplies } from '@uniferum/core';
import { findAssets } from '../library/asset-queries.js';
import { addToTallies } from '../library/tallies.js';
import type { RunHandler, RunInputs } from '../runs/handler.js';
import { addItems, beginRun, endIfEmpty } from '../runs/ledger.js';
import { findRun } from '../runs/queries.js';
import { type Database, type Executor, inTransaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { findRenditions, type RenditionRow, UNKNOWN_ORIGIN, updateRenditions } from './queries.js';
import { listRecipes } from './recipe-queries.js';
import { counted, dropRenditions } from './record.js';
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

/** For so long a removal can be taken back. */
export const RESTORABLE_DAYS = 30;
const KEYS_PER_ITEM = 200;

/** Begins to remove surplus renditions. Their addresses lead on to what is nearest. @returns the run's id */
export async function beginRemoval(db: Database, filter: SurplusFilter, by: string): Promise<string> {
  const keys = await listSurplusKeys(db, filter);
  return beginJob(db, keys, {
    kind: 'surplus-remove',
    title: `Removing ${keys.length.toLocaleString('en-GB')} surplus ${keys.length === 1 ? 'rendition' : 'renditions'}`,
    by,
    inputOf: (some) => ({ keys: some }),
  });
}

/** Begins to bring back what a run removed. @throws UniferumError `not-found`, `conflict` */
export async function beginRestoral(db: Database, runId: string, by: string): Promise<string> {
  const run = await findRun(db, runId);
  if (run === null) throw notFound(`Run ${runId}`);
  const keys = await listRemovedKeys(db, runId);
  if (keys.length === 0)
    throw new UniferumError(
      'conflict',
      `Nothing of "${run.title}" can be brought back: it was brought back already, or removed more than ${RESTORABLE_DAYS} days ago.`,
    );
  return beginJob(db, keys, {
    kind: 'surplus-restore',
    title: `Taking back: ${run.title}`.slice(0, 200),
    by,
    undoOf: runId,
    inputOf: (some) => ({ run: runId, keys: some }),
  });
}

async function beginJob<Kind extends 'surplus-remove' | 'surplus-restore'>(
  db: Database,
  keys: readonly RenditionKey[],
  job: {
    kind: Kind;
    title: string;
    by: string;
    undoOf?: string;
    inputOf: (keys: RenditionKey[]) => RunInputs[Kind];
  },
): Promise<string> {
  const { kind, title, by, undoOf, inputOf } = job;
  return inTransaction(db, async (tx) => {
    const run = await beginRun(tx, { kind, title, by, ...(undoOf !== undefined && { undoOf }) });
    const items = [];
    for (let at = 0; at < keys.length; at += KEYS_PER_ITEM) {
      const some = keys.slice(at, at + KEYS_PER_ITEM);
      items.push({
        key: `keys:${at}`,
        title: `${(at + 1).toLocaleString('en-GB')}–${(at + some.length).toLocaleString('en-GB')}`,
        input: inputOf(some),
        weight: some.length,
      });
    }
    await addItems<Kind>(tx, run, items);
    await endIfEmpty(tx, run);
    return run;
  });
}

/** Removes surplus renditions; what has become wanted again meanwhile stays. */
export const surplusRemoveHandler: RunHandler<RunInputs['surplus-remove']> = {
  work: async ({ keys }, { runId }) => ({
    outcome: 'done',
    record: async (tx) => {
      const rows = (await findRenditions(tx, assetsOf(keys), { lock: true })).filter(
        (row) => row.state === 'surplus' && isAmong(row, keys),
      );
      await insertRemoved(tx, runId, rows);
      await dropRenditions(tx, rows);
      const bytes = rows.reduce((sum, row) => sum + (row.bytes ?? 0), 0);
      return {
        done: rows.length,
        skipped: keys.length - rows.length,
        failed: 0,
        bytes: { before: bytes, after: 0 },
      };
    },
  }),
};

/** Brings removed renditions back as surplus; one whose recipe asks for it again is outdated. */
export const surplusRestoreHandler: RunHandler<RunInputs['surplus-restore']> = {
  work: async ({ run, keys }) => ({
    outcome: 'done',
    record: async (tx) => {
      const removed = await lockRemoved(tx, run, keys);
      const present = await findRenditions(tx, assetsOf(keys), { lock: true });
      const assets = new Map((await findAssets(tx, assetsOf(keys))).map((asset) => [asset.id, asset]));
      const recipes = await listRecipes(tx);
      const back = removed.filter((row) => !present.some((one) => isSame(one, row) && one.sha256 !== null));
      const rows = back.map((row): RenditionRow => {
        const asset = assets.get(row.asset_id);
        const isWanted = recipes.some(
          (recipe) =>
            recipe.name === row.recipe &&
            row.variant === '' &&
            asset &&
            recipeApplies(recipe, { ...asset, folder: asset.folder_path }),
        );
        const state: RenditionState = isWanted ? 'outdated' : 'surplus';
        return { ...row, ...UNKNOWN_ORIGIN, state };
      });
      const replaced = present.filter((one) => rows.some((row) => isSame(row, one)));
      await updateRenditions(tx, rows);
      await addToTallies(tx, [
        ...replaced.map((row) => counted(row, -1)),
        ...rows.map((row) => counted(row, 1)),
      ]);
      for (const row of back) await forgetRemoved(tx, row.asset_id, [row]);
      return { done: back.length, skipped: keys.length - back.length, failed: 0 };
    },
  }),
};

/** What is shown at the address of a rendition that was removed: the nearest one of the same asset; null for the original. */
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

/** Which of an asset's renditions is nearest to one that is given up; null for none. */
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

function assetsOf(keys: readonly RenditionKey[]): number[] {
  return [...new Set(keys.map(([asset]) => asset))];
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
