export type {
  AuditAnswer,
  CopyAnswer,
  CopyPlanAnswer,
  CopyPlanItem,
  FindingAnswer,
  RepairPlanItem,
  StoreAnswer,
} from './answers.js';
export {
  type AssetCopies,
  type AssetCopyPlan,
  type CopiedFile,
  type HomePlan,
  isSameFile,
  type PlacedCopy,
  type PlannedStore,
  planAdding,
  planDropping,
  planFetching,
  planLeavingHome,
  staleCopies,
  type WantedCopy,
} from './asset-copies.js';
export {
  AUDIT_MODES,
  AUDIT_REASONS,
  type AuditMode,
  type AuditReason,
  compareListed,
  Reservoir,
} from './audit.js';
export { COPY_STATES, type Copy, type CopyState, goodCopies } from './copy.js';
export { type CopyCondition, copyFilterField } from './copy-filter.js';
export { copyKey, type KeyedBytes } from './copy-key.js';
export {
  estimatePlacing,
  measureSending,
  type PlacingEstimate,
  type SendingRate,
  type StorePrices,
} from './estimate.js';
export {
  HISTORY_DAYS,
  type HistoryDays,
  SAMPLE_SECONDS,
  type StoreHistoryAnswer,
  type StorePeriod,
  type StoreSample,
  sumUpHistory,
} from './history.js';
export {
  type EffectivePlacement,
  type FolderPlacement,
  type FolderPlacementAnswer,
  MAX_KEEP_DAYS,
  NO_PLACEMENT,
  resolvePlacement,
} from './placement.js';
export {
  type CopyAction,
  type CopyPlan,
  type CopyRefusal,
  type Placement,
  type PlacementStep,
  planCopy,
  planPlacement,
} from './plan-copies.js';
