export { type BackoffOptions, backoffMs } from './backoff.js';
export { type FailureGroup, failureReason } from './failures.js';
export { currentRate, nextRate, type RateSample, secondsLeft } from './rate.js';
export {
  endedItems,
  finalState,
  ITEM_STATES,
  type ItemState,
  isActive,
  RUN_STATES,
  type Run,
  type RunCounts,
  type RunItem,
  type RunState,
  type ThroughputMinute,
  type WorkerAnswer,
  type WorkersAnswer,
} from './run.js';
export { commonFolder, runTitle } from './run-title.js';
