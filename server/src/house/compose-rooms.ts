import type { LibraryJoints } from '../library/joints.js';
import type { BoundRun } from '../runs/handler.js';
import type { Gauge } from '../shared/metrics.js';
import type { Route } from '../shared/route.js';
import type { Sweep } from '../shared/sweep.js';
import type { Plugged, Room } from './room.js';

/** All rooms composed: what servers and workers run. */
export interface House {
  rooms: readonly Room[];
  plugged: Plugged;
  gauges: readonly Gauge[];
  /** In matching order: of two routes that match the same path, the more specific comes first. */
  routes(): Route[];
  handlers(): BoundRun[];
  sweeps(): Sweep[];
  /** Starts the background work of a server. @returns a function that stops it */
  open(): Promise<() => Promise<void>>;
  close(): Promise<void>;
}

/**
 * Composes rooms. Contributions are merged in dependency order and frozen.
 *
 * @throws Error when a room needs one that is not listed before it, or when two contribute the same name
 */
export function composeRooms(rooms: readonly Room[]): House {
  checkNeeds(rooms);
  const all = <Part>(pick: (room: Room) => readonly Part[] | undefined): readonly Part[] =>
    Object.freeze(rooms.flatMap((room) => pick(room) ?? []));
  const joint = <Key extends keyof LibraryJoints>(key: Key) =>
    Object.freeze(
      rooms.flatMap((room) => (room.library?.[key] ?? []) as unknown[]),
    ) as unknown as Required<LibraryJoints>[Key];
  const plugged: Plugged = Object.freeze({
    joints: Object.freeze({
      fields: joint('fields'),
      guards: joint('guards'),
      folderGuards: joint('folderGuards'),
      listeners: joint('listeners'),
      blobHolders: joint('blobHolders'),
      filters: joint('filters'),
      renditionUses: joint('renditionUses'),
      copyListeners: joint('copyListeners'),
      objectHolders: joint('objectHolders'),
    }),
    runs: all((room) => room.runs),
    events: all((room) => room.events),
    live: all((room) => room.live),
    flow: all((room) => (room.flow ? [room.flow] : [])),
    counts: all((room) => room.counts),
  });
  checkNames(plugged);
  return {
    rooms,
    plugged,
    gauges: all((room) => room.gauges),
    routes: () => sortRoutes(rooms.flatMap((room) => [...(room.routes?.(plugged) ?? [])])),
    handlers: () => handlersOf(rooms, plugged),
    sweeps: () => rooms.flatMap((room) => [...(room.sweeps?.(plugged) ?? [])]),
    open: () => openAll(rooms, plugged),
    close: async () => {
      for (const room of rooms.toReversed()) await room.close?.();
    },
  };
}

function checkNeeds(rooms: readonly Room[]): void {
  const before = new Set<string>();
  for (const { name, needs } of rooms) {
    if (before.has(name)) throw new Error(`Expected each room once, got "${name}" twice.`);
    const missing = needs.find((need) => !before.has(need));
    if (missing !== undefined)
      throw new Error(`The room "${name}" needs "${missing}", which has to stand before it.`);
    before.add(name);
  }
}

function checkNames({ joints, runs, events, live, flow }: Plugged): void {
  requireUnique('event', [...events.map(({ type }) => type), ...live.map(({ event }) => event)]);
  requireUnique(
    'kind of run',
    runs.map(({ kind }) => kind),
  );
  requireUnique(
    'field of assets',
    joints.fields.map(({ name }) => name),
  );
  requireUnique(
    'field of the filter language',
    joints.filters.map(({ field }) => field.name),
  );
  requireUnique(
    'figure of the flow',
    flow.flatMap(({ schema }) => Object.keys(schema)),
  );
}

function requireUnique(what: string, names: readonly string[]): void {
  const twice = names.find((name, index) => names.indexOf(name) !== index);
  if (twice !== undefined) throw new Error(`Two rooms have the ${what} "${twice}".`);
}

/** @throws Error when a run kind has no handler, or a handler no run kind */
function handlersOf(rooms: readonly Room[], plugged: Plugged): BoundRun[] {
  const handlers = rooms.flatMap((room) => [...(room.handlers?.(plugged) ?? [])]);
  const [stated, bound] = [plugged.runs.map(({ kind }) => kind), handlers.map(({ kind }) => kind)];
  requireUnique('handler of runs', bound);
  const odd = [...stated, ...bound].find((kind) => !(stated.includes(kind) && bound.includes(kind)));
  if (odd !== undefined) throw new Error(`The kind of run "${odd}" is not both stated and handled.`);
  return handlers;
}

/** @throws Error when two routes are identical */
function sortRoutes(routes: readonly Route[]): Route[] {
  requireUnique(
    'route',
    routes.map(({ method, path }) => `${method} ${path.replace(/\{\w+\*?\}/g, '{}')}`),
  );
  return routes.toSorted((a, b) => (specificity(a.path) < specificity(b.path) ? -1 : 1));
}

/**
 * A sort key under which a fixed path segment comes before a parameter at the same position, and a parameter before a
 * wildcard. What pages show comes before the API, whose routes are many and would all be tried first.
 */
function specificity(path: string): string {
  const parts = path
    .split('/')
    .map((part) => (part.endsWith('*}') ? '2' : part.startsWith('{') ? '1' : `0${part}`));
  return [path.startsWith('/api/') ? '1' : '0', ...parts].join('/');
}

async function openAll(rooms: readonly Room[], plugged: Plugged): Promise<() => Promise<void>> {
  const closes: (() => Promise<void>)[] = [];
  for (const room of rooms) if (room.open) closes.unshift(await room.open(plugged));
  return async () => {
    for (const close of closes) await close();
  };
}
