import type { BoundRun, RunHandler } from '../runs/handler.js';
import { recipeApplyHandler } from './apply.js';
import { makeRenditions, recordGivenUp, type WorkerContext } from './make.js';
import { optimiseHandler } from './optimise-handler.js';
import { optimiseRun, type RenditionsInput, renditionsRun, renditionsSoonRun } from './run-kinds.js';
import { surplusRemoveHandler, surplusRestoreHandler } from './surplus.js';
import type { RecipeTools } from './tools.js';

/** Makes the missing renditions of one asset. */
function renditionsHandler(context: WorkerContext): RunHandler<RenditionsInput> {
  return {
    work: ({ asset, recipes, states }, { signal }) =>
      makeRenditions(context, asset, { recipes, states }, { signal }),
    maxMs: context.maxWorkMs,
    giveUp: (tx, { asset, recipes, states }, error) => recordGivenUp(tx, asset, { recipes, states }, error),
  };
}

/** The handlers of all run kinds of this room. */
export function recipeHandlers({ db, store, config, rendering, joints }: RecipeTools): BoundRun[] {
  const context: WorkerContext = {
    db,
    store,
    joints,
    pool: rendering.pool,
    maxPixels: config.maxPixels,
    // The pool abandons slow work by itself; this limit applies if it does not.
    maxWorkMs: config.render.backgroundTimeoutMs * 2 + 60_000,
  };
  return [
    renditionsRun.bind(renditionsHandler(context)),
    renditionsSoonRun.bind(renditionsHandler(context)),
    optimiseRun.bind(optimiseHandler(context)),
    recipeApplyHandler,
    surplusRemoveHandler,
    surplusRestoreHandler,
  ];
}
