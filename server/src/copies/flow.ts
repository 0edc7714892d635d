import Joi from 'joi';
import { readCounters } from '../shared/counters.js';
import { amountOf, amountSchema, type FlowPart } from '../shared/flow-part.js';
import { answer } from '../shared/schemas.js';
import { copiesScope } from './copy-queries.js';
import { listStores } from './store-queries.js';

const count = Joi.number().integer();

/** The copies in each store besides the home store. */
export const copiesFlow: FlowPart = {
  schema: {
    copies: Joi.array().items(
      answer({ store: Joi.string(), amount: amountSchema, waiting: count, damaged: count }),
    ),
  },
  async read({ db }) {
    const [counters, stores] = await Promise.all([readCounters(db), listStores(db)]);
    return {
      copies: stores.map(({ id, name }) => {
        const of = (state: string) => amountOf(counters, copiesScope(id), state);
        return {
          store: name,
          amount: of('stored'),
          waiting: of('wanted').items + of('uploading').items + of('removing').items,
          damaged: of('damaged').items,
        };
      }),
    };
  },
};
