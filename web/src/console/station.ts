import type { QueryClient } from '@tanstack/react-query';
import type { Asset, FilterField } from '@uniferum/core/library';
import type { ComponentType } from 'react';
import type { RouteObject } from 'react-router';

/** A place of the work in the navigation. */
export interface Place {
  name: string;
  path: string;
  /** The key that leads there after `g`. */
  key: string;
  /** Where it stands: places are sorted by it, in the order of the work. */
  order: number;
  /** A place that a later version brings: shown, and no link. */
  isToCome?: boolean;
}

/** A stage on the line of an asset: a part of its life. */
export interface LineStage {
  name: string;
  /** Where it stands, from left to right. */
  order: number;
  /** Tailwind's class for its least width. */
  width: string;
  /** Loaded when the first line is opened. */
  Content: ComponentType<{ asset: Asset }>;
}

/** Something to go to, in the palette. */
export interface PaletteEntry {
  text: string;
  note: string;
  path: string;
}

/** Entries of the palette under one heading. The hook runs while the palette is open. */
export interface PaletteGroup {
  heading: string;
  useEntries(): readonly PaletteEntry[];
}

/** What a room contributes to the console. Everything but the name is optional. */
export interface Station {
  room: string;
  place?: Place;
  /** Its pages, below the shell; each should be loaded when it is first opened. */
  routes?: readonly RouteObject[];
  /** Which lists a type of event makes stale, by the first word of their query keys. */
  stale?: Readonly<Record<string, readonly string[]>>;
  /** Takes what is sent beside the events. @returns the lists that it makes stale */
  live?: Readonly<Record<string, (queries: QueryClient, data: unknown) => readonly string[]>>;
  stages?: readonly LineStage[];
  /** Fields that the filter language knows beside those of the library. */
  filterFields?: readonly FilterField[];
  palette?: readonly PaletteGroup[];
  /** What the work of its kinds of runs is called, in the plural. */
  runKinds?: Readonly<Record<string, string>>;
}
