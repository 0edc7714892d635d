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

/** The rooms, from the ground up: a room needs only rooms that stand before it. */
export const ROOM_NAMES = [
  'stores',
  'access',
  'events',
  'runs',
  'inspection',
  'library',
  'rules',
  'recipes',
  'intake',
  'serving',
  'flow',
] as const;

/** What all rooms together contribute: merged once, frozen, and handed to each of them. */
export interface Plugged {
  joints: Joints;
  runs: readonly AnyRunKind[];
  events: readonly EventType[];
  live: readonly LiveSource[];
  flow: readonly FlowPart[];
  counts: readonly CountCheck[];
}

/**
 * What a room contributes to the house. Data is stated as it is; what works with other rooms' data is a function that gets
 * all of it. Everything but the name is optional.
 */
export interface Room<Name extends string = string> {
  name: Name;
  /** The rooms whose files this one imports. */
  needs: readonly string[];
  /** Kinds of runs that can be begun here. */
  runs?: readonly AnyRunKind[];
  /** Types of events that are written here. */
  events?: readonly EventType[];
  /** What changes too often for the outbox. */
  live?: readonly LiveSource[];
  /** What is plugged into the library. */
  library?: LibraryJoints;
  /** Figures for the map of the flow. */
  flow?: FlowPart;
  /** Figures for `/metrics`. */
  gauges?: readonly Gauge[];
  /** Counts that are kept here, and how they are verified. */
  counts?: readonly CountCheck[];
  routes?(plugged: Plugged): readonly Route[];
  /** What works on the items of its runs; asked by workers only. */
  handlers?(plugged: Plugged): readonly BoundRun[];
  /** What has to be done now and then; asked by workers only. */
  sweeps?(plugged: Plugged): readonly Sweep[];
  /** Begins what goes on in the background of a server. @returns what ends it */
  open?(plugged: Plugged): Promise<() => Promise<void>>;
  /** Lets go of what the room holds. */
  close?(): Promise<void>;
}
