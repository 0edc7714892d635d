import type { FolderRules } from '@uniferum/core/rules';
import Joi from 'joi';
import { listFoldersWithin } from '../library/folder-queries.js';
import type { FlowPart } from '../shared/flow-part.js';

/** The number of folders with rules of their own. */
export const rulesFlow: FlowPart = {
  schema: { ruledFolders: Joi.number().integer() },
  async read({ db }) {
    const folders = await listFoldersWithin(db, '/');
    return { ruledFolders: folders.filter(({ rules }) => hasRules(rules)).length };
  },
};

function hasRules(rules: FolderRules): boolean {
  return Object.entries(rules).some(
    ([rule, value]) => rule !== 'inherit' && value !== null && !(Array.isArray(value) && value.length === 0),
  );
}
