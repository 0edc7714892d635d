export { newRefusals, type RuledAspect, refusalsAbout } from './aspects.js';
export {
  type CheckAnswer,
  type Destination,
  type FileFacts,
  type InstallationLimits,
  judgeBatch,
  judgeFile,
  MAX_SIDE,
} from './evaluate.js';
export {
  type CustomCheck,
  DUPLICATE_RULES,
  type DuplicateRule,
  type Effective,
  type EffectiveRules,
  type FolderRules,
  NO_RULES,
  REQUIRABLE_TEXTS,
  type RequirableText,
  type RuledFolder,
  type RulesAnswer,
  resolveRules,
} from './rules.js';
export { limitByToken, type TokenLimits, withTokenLimits } from './token-limits.js';
export { isTypePattern } from './types.js';
