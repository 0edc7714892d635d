export { COPY_STATES, type Copy, type CopyState, goodCopies } from './copy.js';
export { copyKey, type KeyedBytes } from './copy-key.js';
export {
  type CopyAction,
  type CopyPlan,
  type CopyRefusal,
  type Placement,
  type PlacementStep,
  planCopy,
  planPlacement,
} from './plan-copies.js';
