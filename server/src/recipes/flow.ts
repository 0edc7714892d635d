import { RENDITION_STATES, type RenditionState } from '@uniferum/core/recipes';
import Joi from 'joi';
import { type Counter, readCounters } from '../shared/counters.js';
import { amountOf, type FlowPart } from '../shared/flow-part.js';
import { answer } from '../shared/schemas.js';
import { listRecipes } from './recipe-queries.js';

/** The output of recipes. */
export const recipesFlow: FlowPart = {
  schema: {
    recipes: Joi.array().items(
      answer({
        name: Joi.string(),
        title: Joi.string(),
        states: answer(Object.fromEntries(RENDITION_STATES.map((state) => [state, Joi.number().integer()]))),
        bytes: Joi.number().integer(),
      }),
    ),
  },
  async read({ db }) {
    const [counters, recipes] = await Promise.all([readCounters(db), listRecipes(db)]);
    return {
      recipes: recipes.map(({ name, title }) => ({
        name,
        title,
        states: statesOf(counters, name),
        bytes: counters
          .filter(({ scope }) => scope === `recipe:${name}`)
          .reduce((sum, { bytes }) => sum + bytes, 0),
      })),
    };
  },
};

function statesOf(counters: readonly Counter[], recipe: string): Record<RenditionState, number> {
  return Object.fromEntries(
    RENDITION_STATES.map((state) => [state, amountOf(counters, `recipe:${recipe}`, state).items]),
  ) as Record<RenditionState, number>;
}
