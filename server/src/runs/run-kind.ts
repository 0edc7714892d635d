import type { Database } from '../shared/database.js';
import type { BoundRun, RunHandler } from './handler.js';

/** A run kind, declared by the room that offers it. `Input` is the data of one item, stored as JSON. */
export interface RunKind<Input = never> {
  /** Public, kebab-case, never reused. */
  kind: string;
  /** A short name for users. */
  label: string;
  /** Whether its items replace files, so that bytes before and after are counted. */
  countsBytes: boolean;
  /** Starts the run that undoes one of this kind; null when it cannot be undone. */
  undo: UndoRun | null;
  /** Declares the handler of its items. */
  bind(handler: RunHandler<Input>): BoundRun;
}

/** Starts the run that undoes another. @returns its id @throws UniferumError `conflict` when nothing is left to undo */
export type UndoRun = (db: Database, run: { id: string; title: string }, by: string) => Promise<string>;

/** A run kind without the type of its items. */
export type AnyRunKind = Pick<RunKind, 'kind' | 'label' | 'countsBytes' | 'undo'>;

/** Declares a run kind. */
export function defineRun<Input>({
  kind,
  label,
  countsBytes = false,
  undo = null,
}: {
  kind: string;
  label: string;
  countsBytes?: boolean;
  undo?: UndoRun | null;
}): RunKind<Input> {
  return Object.freeze({
    kind,
    label,
    countsBytes,
    undo,
    bind: (handler: RunHandler<Input>) => ({ kind, handler: handler as RunHandler<unknown> }),
  });
}
