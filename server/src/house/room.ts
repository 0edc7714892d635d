import type { EventType } from '../events/event-type.js';
import type { LiveSource } from '../events/live-source.js';
import type { Joints, LibraryJoints } from '../library/joints.js';
import type { BoundRun } from '../runs/handler.js';
import type { AnyRunKind } from '../runs/run-kind.js';
import type { CountCheck } from '../shared/count-checks.js';
import type { FlowPart } from '../shared/flow-part.js';
import type { Gauge } from '../shared/metrics.js';
import type { Route } from '../shared/route.js';
import type { Sweep } from '../shared/sweep.js';

/** The rooms in dependency order: a room needs only rooms listed before it. */
export const ROOM_NAMES = [
  'stores',
  'access',
  'events',
  'connections',
  'runs',
  'inspection',
  'library',
  'rules',
  'recipes',
  'intake',
  'copies',
  'serving',
  'pages',
  'flow',
] as const;

/** The merged contributions of all rooms: built once, frozen, and passed to each of them. */
export interface Plugged {
  joints: Joints;
  runs: readonly AnyRunKind[];
  events: readonly EventType[];
  live: readonly LiveSource[];
  flow: readonly FlowPart[];
  counts: readonly CountCheck[];
}

/**
 * What a room contributes. Data is declared as is; what works with other rooms' contributions is a function that
 * receives the merged result. Everything except the name is optional.
 */
export interface Room<Name extends string = string> {
  name: Name;
  /** The rooms this room imports from. */
  needs: readonly string[];
  /** Run kinds that can be started here. */
  runs?: readonly AnyRunKind[];
  /** Event types written here. */
  events?: readonly EventType[];
  /** State that changes too often for the outbox. */
  live?: readonly LiveSource[];
  /** Extensions of the library. */
  library?: LibraryJoints;
  /** Figures for the flow map. */
  flow?: FlowPart;
  /** Figures for `/metrics`. */
  gauges?: readonly Gauge[];
  /** Counters stored here and how they are verified. */
  counts?: readonly CountCheck[];
  routes?(plugged: Plugged): readonly Route[];
  /** Handlers of run items; used by workers only. */
  handlers?(plugged: Plugged): readonly BoundRun[];
  /** Periodic cleanup; used by workers only. */
  sweeps?(plugged: Plugged): readonly Sweep[];
  /** Starts background work of a server. @returns a function that stops it */
  open?(plugged: Plugged): Promise<() => Promise<void>>;
  /** Releases the room's resources. */
  close?(): Promise<void>;
}
