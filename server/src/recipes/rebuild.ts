import {
  chainSize,
  estimateRebuild,
  type RebuildEstimate,
  type RebuildPlan,
  type Recipe,
  type RenditionState,
  splitSource,
} from '@uniferum/core/recipes';
import { listSelected, type Selection } from '../library/bulk.js';
import { beginRun, endIfEmpty } from '../runs/ledger.js';
import { findActiveRun, recountTotal } from '../runs/queries.js';
import { countSlots } from '../runs/worker-queries.js';
import { type Database, inTransaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { recountRecipe } from './apply.js';
import {
  insertRebuildItems,
  listMeasured,
  markForRebuild,
  previewRebuild,
  type RebuildSelection,
} from './rebuild-queries.js';
import { lockRecipes } from './recipe-lock-queries.js';
import { listRecipes } from './recipe-queries.js';
import { recipeApplyRun, renditionsRun } from './run-kinds.js';
import type { RecipeTools } from './tools.js';

/** Which renditions a rebuild makes: `missing` are due or failed, `unfinished` all that are not fresh. */
export const REBUILD_STATES = {
  missing: ['due', 'failed'],
  outdated: ['outdated'],
  failed: ['failed'],
  unfinished: ['due', 'outdated', 'failed'],
  all: ['fresh', 'due', 'outdated', 'failed'],
} as const satisfies Record<string, readonly RenditionState[]>;

export interface Rebuild {
  recipes?: string[];
  select?: Selection;
  only: keyof typeof REBUILD_STATES;
}

/** The maximum number of entries listed in a rehearsal; its totals count all. */
const PREVIEW_ITEMS = 500;
const SAMPLES = 200;

/** Lists what a rebuild would make and the expected cost; changes nothing. */
export async function rehearseRebuild(tools: RecipeTools, wanted: Rebuild): Promise<RebuildPlan> {
  const { db } = tools;
  const { selection, recipes } = await readSelection(tools, wanted);
  if (selection.recipes.length === 0)
    return { items: [], totals: { renditions: 0, assets: 0, bytesNow: 0, seconds: 0, bytesAfter: 0 } };
  const { rows, total, assets, bytes } = await previewRebuild(db, selection, PREVIEW_ITEMS);
  const estimate = await estimateFor(db, recipes, total);
  return {
    items: rows.map(({ asset_id, name, recipe, state }) => ({
      asset: String(asset_id),
      name,
      recipe,
      state,
    })),
    totals: { renditions: total, assets, bytesNow: bytes, ...estimate },
  };
}

/** Starts the run that makes them. @returns the run's id */
export async function rebuild(tools: RecipeTools, wanted: Rebuild, by: string): Promise<string> {
  const { selection } = await readSelection(tools, wanted);
  return inTransaction(tools.db, async (tx) => {
    if (wanted.only === 'all') await lockRecipes(tx);
    const applying = await findActiveRun(tx, recipeApplyRun.kind);
    if (applying)
      throw new UniferumError(
        'conflict',
        `"${applying.title}" is still running, so the renditions to rebuild are not known yet. Wait until it ends.`,
      );
    const title = wanted.recipes ? `Rebuild ${wanted.recipes.join(', ')}` : 'Rebuild all recipes';
    const run = await beginRun(tx, renditionsRun, { title, by });
    if (selection.recipes.length > 0) {
      const input = { recipes: wanted.recipes ?? null, states: selection.states };
      await insertRebuildItems(tx, run, selection, input);
      if (wanted.only === 'all') {
        await markForRebuild(tx, selection);
        for (const recipe of selection.recipes) await recountRecipe(tx, recipe);
      }
    }
    await recountTotal(tx, run);
    await endIfEmpty(tx, run);
    return run;
  });
}

/** Estimates the cost of new renditions from measurements of earlier ones. */
export async function estimateFor(
  db: Database,
  recipes: readonly Recipe[],
  count: number,
): Promise<RebuildEstimate> {
  const samples = [];
  for (const recipe of recipes) {
    const { chain } = splitSource(recipe.steps);
    for (const row of await listMeasured(db, recipe.name, Math.ceil(SAMPLES / recipes.length))) {
      const source =
        row.source_width && row.source_height ? { width: row.source_width, height: row.source_height } : null;
      const after = source && chainSize(source, chain);
      samples.push({
        pixels: row.width * row.height,
        bytes: row.bytes,
        workMs: row.work_ms,
        pixelsAfter:
          after === null ? row.width * row.height : after.ok ? after.size.width * after.size.height : null,
      });
    }
  }
  return estimateRebuild(samples, count, await countSlots(db));
}

async function readSelection(
  tools: RecipeTools,
  { recipes: names, only, select }: Rebuild,
): Promise<{ selection: RebuildSelection; recipes: Recipe[] }> {
  const all = await listRecipes(tools.db);
  const unknown = names?.find((name) => !all.some((recipe) => recipe.name === name));
  if (unknown) throw notFound(`Recipe ${unknown}`);
  const recipes = names ? all.filter(({ name }) => names.includes(name)) : all;
  return {
    recipes,
    selection: {
      recipes: recipes.map(({ name }) => name),
      // Recipes made on request are included only when named.
      states: names && takesUnmade(only) ? [...REBUILD_STATES[only], 'on-request'] : REBUILD_STATES[only],
      assets: select ? await listSelected(tools, select) : null,
    },
  };
}

function takesUnmade(only: Rebuild['only']): boolean {
  return (REBUILD_STATES[only] as readonly RenditionState[]).includes('due');
}
