import { FLOW_SOURCES } from '@uniferum/core/flow';
import Joi from 'joi';
import { readCounters } from '../shared/counters.js';
import { amountOf, amountSchema, type FlowPart } from '../shared/flow-part.js';
import { answer } from '../shared/schemas.js';

/** Where files came from, and the verdicts on them. */
export const intakeFlow: FlowPart = {
  schema: {
    sources: Joi.array().items(answer({ from: Joi.string().valid(...FLOW_SOURCES), amount: amountSchema })),
    verdicts: answer({ accepted: Joi.number(), warned: Joi.number(), refused: Joi.number() }),
  },
  async read({ db }) {
    const counters = await readCounters(db);
    const verdicts = (outcome: string) => amountOf(counters, 'verdict', outcome).items;
    return {
      // Uploads are always shown; other sources once they have been used.
      sources: FLOW_SOURCES.map((from) => ({ from, amount: amountOf(counters, 'from', from) })).filter(
        ({ from, amount }) => from === 'console' || from === 'script' || amount.items > 0,
      ),
      verdicts: {
        accepted: verdicts('accepted'),
        warned: verdicts('warned'),
        refused: verdicts('refused'),
      },
    };
  },
};
