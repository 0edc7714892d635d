import {
  type Amount,
  FLOW_SOURCES,
  type Flow,
  KINDS,
  RENDITION_STATES,
  type RenditionState,
} from '@uniferum/core';
import Joi from 'joi';
import type { App } from '../app.js';
import { listFoldersWithin } from '../library/folder-queries.js';
import { readTallies, type Tally } from '../library/tallies.js';
import { listRecipes } from '../recipes/recipe-queries.js';
import { countRuns } from '../runs/queries.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import { answer, component } from '../shared/schemas.js';

const amountSchema = answer({ items: Joi.number().integer(), bytes: Joi.number().integer() });

const flowSchema = component(
  'Flow',
  answer({
    sources: Joi.array().items(answer({ from: Joi.string().valid(...FLOW_SOURCES), amount: amountSchema })),
    verdicts: answer({ accepted: Joi.number(), remarked: Joi.number(), refused: Joi.number() }),
    library: amountSchema,
    kinds: Joi.array().items(answer({ kind: Joi.string(), amount: amountSchema })),
    folders: Joi.number().integer(),
    ruledFolders: Joi.number().integer(),
    recipes: Joi.array().items(
      answer({
        name: Joi.string(),
        title: Joi.string(),
        states: answer(Object.fromEntries(RENDITION_STATES.map((state) => [state, Joi.number().integer()]))),
        bytes: Joi.number().integer(),
      }),
    ),
    stores: Joi.array().items(answer({ store: Joi.string(), amount: amountSchema })),
    runs: answer({ active: Joi.number().integer(), faulty: Joi.number().integer() }),
  }),
);

export const flowRoutes: Route[] = [
  route({
    method: 'get',
    path: `${API_BASE}/flow`,
    access: 'library:read',
    summary: 'Where files come from and go to, with true counts at each joint',
    answers: { 200: { description: 'The map', schema: flowSchema } },
    handle: async ({ app }) => ({ status: 200, body: await readFlow(app) }),
  }),
];

async function readFlow({ db, store }: App): Promise<Flow> {
  const [tallies, folders, recipes, active, faulty] = await Promise.all([
    readTallies(db),
    listFoldersWithin(db, '/'),
    listRecipes(db),
    countRuns(db, ['waiting', 'working', 'stopping']),
    countRuns(db, ['faulty', 'failed']),
  ]);
  const amountOf = (scope: string, name: string): Amount => {
    const tally = tallies.find((one) => one.scope === scope && one.name === name);
    return { items: tally?.items ?? 0, bytes: tally?.bytes ?? 0 };
  };
  return {
    // Uploads are always shown; the other ways once something came by them.
    sources: FLOW_SOURCES.map((from) => ({ from, amount: amountOf('from', from) })).filter(
      ({ from, amount }) => from === 'console' || from === 'script' || amount.items > 0,
    ),
    verdicts: {
      accepted: amountOf('verdict', 'accepted').items,
      remarked: amountOf('verdict', 'remarked').items,
      refused: amountOf('verdict', 'refused').items,
    },
    library: { items: sum(folders.map(({ items }) => items)), bytes: sum(folders.map(({ bytes }) => bytes)) },
    kinds: KINDS.map((kind) => ({ kind, amount: amountOf('kind', kind) })).filter(
      ({ amount }) => amount.items > 0,
    ),
    folders: folders.length,
    ruledFolders: folders.filter(({ rules }) => hasRules(rules)).length,
    recipes: recipes.map(({ name, title }) => ({
      name,
      title,
      states: statesOf(tallies, name),
      bytes: sum(tallies.filter(({ scope }) => scope === `recipe:${name}`).map(({ bytes }) => bytes)),
    })),
    stores: [store.name, 'inbox']
      .map((name) => ({ store: name, amount: amountOf('store', name) }))
      .filter(({ store: name, amount }) => name === store.name || amount.items > 0),
    runs: { active, faulty },
  };
}

function statesOf(tallies: readonly Tally[], recipe: string): Record<RenditionState, number> {
  const countOf = (state: RenditionState) =>
    tallies.find(({ scope, name }) => scope === `recipe:${recipe}` && name === state)?.items ?? 0;
  return Object.fromEntries(RENDITION_STATES.map((state) => [state, countOf(state)])) as Record<
    RenditionState,
    number
  >;
}

function hasRules(rules: object): boolean {
  return Object.entries(rules).some(
    ([rule, value]) => rule !== 'inherit' && value !== null && !(Array.isArray(value) && value.length === 0),
  );
}

function sum(values: readonly number[]): number {
  return values.reduce((total, value) => total + value, 0);
}
