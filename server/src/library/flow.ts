import { KINDS } from '@uniferum/core/library';
import Joi from 'joi';
import { readCounters } from '../shared/counters.js';
import { amountOf, amountSchema, type FlowPart } from '../shared/flow-part.js';
import { answer } from '../shared/schemas.js';
import { listFoldersWithin } from './folder-queries.js';

/** What is in the library, and where it is stored. */
export const libraryFlow: FlowPart = {
  schema: {
    library: amountSchema,
    kinds: Joi.array().items(answer({ kind: Joi.string(), amount: amountSchema })),
    folders: Joi.number().integer(),
    stores: Joi.array().items(answer({ store: Joi.string(), amount: amountSchema })),
  },
  async read({ db, store }) {
    const [counters, folders] = await Promise.all([readCounters(db), listFoldersWithin(db, '/')]);
    return {
      library: {
        items: sum(folders.map(({ items }) => items)),
        bytes: sum(folders.map(({ bytes }) => bytes)),
      },
      kinds: KINDS.map((kind) => ({ kind, amount: amountOf(counters, 'kind', kind) })).filter(
        ({ amount }) => amount.items > 0,
      ),
      folders: folders.length,
      stores: [store.name, 'inbox']
        .map((name) => ({ store: name, amount: amountOf(counters, 'store', name) }))
        .filter(({ store: name, amount }) => name === store.name || amount.items > 0),
    };
  },
};

function sum(values: readonly number[]): number {
  return values.reduce((total, value) => total + value, 0);
}
