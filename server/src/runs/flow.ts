import Joi from 'joi';
import type { FlowPart } from '../shared/flow-part.js';
import { answer } from '../shared/schemas.js';
import { countRuns } from './queries.js';

/** The number of active runs, and of runs that ended with errors. */
export const runsFlow: FlowPart = {
  schema: { runs: answer({ active: Joi.number().integer(), faulty: Joi.number().integer() }) },
  async read({ db }) {
    const [active, faulty] = await Promise.all([
      countRuns(db, ['waiting', 'working', 'stopping']),
      countRuns(db, ['faulty', 'failed']),
    ]);
    return { runs: { active, faulty } };
  },
};
