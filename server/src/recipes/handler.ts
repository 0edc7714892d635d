import type { RunHandler, RunInputs } from '../runs/handler.js';
import { makeRenditions, recordGivenUp, type Workbench } from './make.js';

/** Makes the renditions of one asset that are wanted. */
export function renditionsHandler(bench: Workbench): RunHandler<RunInputs['renditions']> {
  return {
    work: ({ asset, recipes, states }, { signal }) =>
      makeRenditions(bench, asset, { recipes, states }, signal),
    giveUp: (tx, { asset, recipes, states }, error) => recordGivenUp(tx, asset, { recipes, states }, error),
  };
}
