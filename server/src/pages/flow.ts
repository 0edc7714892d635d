import Joi from 'joi';
import type { FlowPart } from '../shared/flow-part.js';
import { answer } from '../shared/schemas.js';
import { readFigures } from './source-queries.js';

const count = Joi.number().integer();

/** The indexed pages, and how many of their references are broken. */
export const pagesFlow: FlowPart = {
  schema: { pages: answer({ documents: count, references: count, broken: count }) },
  async read({ db }) {
    const pages = { documents: 0, references: 0, broken: 0 };
    for (const figures of (await readFigures(db)).values()) {
      pages.documents += figures.documents;
      pages.references += figures.references;
      pages.broken += figures.broken;
    }
    return { pages };
  },
};
