import type { QueryClient } from '@tanstack/react-query';
import type { Asset, FilterField } from '@uniferum/core/library';
import type { ComponentType } from 'react';
import type { RouteObject } from 'react-router';

/** An entry of the navigation. */
export interface Place {
  name: string;
  path: string;
  /** The key that opens it after `g`. */
  key: string;
  /** Its position: entries are sorted by it, in the order of the work. */
  order: number;
  /** An entry of a later version: shown, but not a link. */
  isToCome?: boolean;
}

/** A stage of an asset's line: a part of its life. */
export interface LineStage {
  name: string;
  /** Its position from left to right. */
  order: number;
  /** The Tailwind class of its minimum width. */
  width: string;
  /** Loaded when the first line is opened. */
  Content: ComponentType<{ asset: Asset }>;
}

/** A target in the palette. */
export interface PaletteEntry {
  text: string;
  note: string;
  path: string;
}

/** Palette entries under one heading. The hook runs while the palette is open. */
export interface PaletteGroup {
  heading: string;
  useEntries(): readonly PaletteEntry[];
}

/** The query that lists words. */
export interface FilterWords {
  queryKey: readonly string[];
  queryFn(): Promise<readonly string[]>;
}

/** What a room contributes to the console. Everything except the name is optional. */
export interface Station {
  room: string;
  place?: Place;
  /** Its pages, inside the shell; each should be loaded when first opened. */
  routes?: readonly RouteObject[];
  /** The lists made stale by each type of event, by the first word of their query keys. */
  stale?: Readonly<Record<string, readonly string[]>>;
  /** Handles live state sent beside the events. @returns the lists it makes stale */
  live?: Readonly<Record<string, (queries: QueryClient, data: unknown) => readonly string[]>>;
  stages?: readonly LineStage[];
  /** Fields that it adds to the filter language. */
  filterFields?: readonly FilterField[];
  /** Words that its filter fields propose, by their name in the vocabulary. */
  filterWords?: Readonly<Record<string, FilterWords>>;
  palette?: readonly PaletteGroup[];
  /** The plural name of the work of each of its run kinds. */
  runKinds?: Readonly<Record<string, string>>;
}
