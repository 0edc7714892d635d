import type { FilterField } from '@uniferum/core/library';
import { createContext, useContext } from 'react';
import type { RouteObject } from 'react-router';
import type { FilterWords, LineStage, PaletteGroup, Place, Station } from './station.js';

/** The merged contributions of all stations. */
export interface Composition {
  places: readonly Place[];
  routes: readonly RouteObject[];
  stale: ReadonlyMap<string, readonly string[]>;
  live: ReadonlyMap<string, NonNullable<Station['live']>[string]>;
  stages: readonly LineStage[];
  filterFields: readonly FilterField[];
  /** With their names in the vocabulary. */
  filterWords: readonly (readonly [string, FilterWords])[];
  palette: readonly PaletteGroup[];
  runKinds: ReadonlyMap<string, string>;
}

/** Composes the console. @throws Error when two stations have the same room, path, key, stage, field or words */
export function composeStations(stations: readonly Station[]): Composition {
  requireUnique(
    'room',
    stations.map(({ room }) => room),
  );
  const places = stations.flatMap(({ place }) => place ?? []).sort((a, b) => a.order - b.order);
  requireUnique(
    'path',
    places.map(({ path }) => path),
  );
  requireUnique(
    'key',
    places.map(({ key }) => key),
  );
  const stages = stations.flatMap((station) => station.stages ?? []).sort((a, b) => a.order - b.order);
  requireUnique(
    'stage',
    stages.map(({ name }) => name),
  );
  const filterFields = stations.flatMap((station) => station.filterFields ?? []);
  requireUnique(
    'field',
    filterFields.map(({ name }) => name),
  );
  const filterWords = stations.flatMap((station) => Object.entries(station.filterWords ?? {}));
  requireUnique(
    'words',
    filterWords.map(([name]) => name),
  );
  const live = stations.flatMap((station) => Object.entries(station.live ?? {}));
  requireUnique(
    'live event',
    live.map(([event]) => event),
  );
  const runKinds = stations.flatMap((station) => Object.entries(station.runKinds ?? {}));
  requireUnique(
    'kind of runs',
    runKinds.map(([kind]) => kind),
  );
  return {
    places,
    routes: stations.flatMap(({ routes = [] }) => routes),
    stale: mergeStale(stations),
    live: new Map(live),
    stages,
    filterFields,
    filterWords,
    palette: stations.flatMap(({ palette = [] }) => palette),
    runKinds: new Map(runKinds),
  };
}

/** One event may make lists of several rooms stale. */
function mergeStale(stations: readonly Station[]): Map<string, readonly string[]> {
  const merged = new Map<string, readonly string[]>();
  for (const { stale = {} } of stations)
    for (const [event, keys] of Object.entries(stale))
      merged.set(event, [...new Set([...(merged.get(event) ?? []), ...keys])]);
  return merged;
}

function requireUnique(what: string, names: readonly string[]): void {
  const twice = names.find((name, index) => names.indexOf(name) !== index);
  if (twice !== undefined) throw new Error(`Two stations have the ${what} "${twice}".`);
}

const CompositionContext = createContext<Composition | null>(null);

export const CompositionProvider = CompositionContext.Provider;

/** The console's stations, composed. */
export function useComposition(): Composition {
  const composition = useContext(CompositionContext);
  if (composition === null) throw new Error('Expected a CompositionProvider above, got none');
  return composition;
}
