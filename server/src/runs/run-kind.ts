import type { Database } from '../shared/database.js';
import type { BoundRun, RunHandler } from './handler.js';

/** A kind of run, as the room that offers it states it. `Input` is what one of its items holds, as JSON. */
export interface RunKind<Input = never> {
  /** Public, kebab-case, never reused. */
  kind: string;
  /** What such a run does, in a few words. */
  label: string;
  /** Whether its items make files of others, so that bytes before and after are counted. */
  countsBytes: boolean;
  /** Begins the run that undoes one of this kind; null when it can't be undone. */
  undo: UndoRun | null;
  /** Names what works on its items. */
  bind(handler: RunHandler<Input>): BoundRun;
}

/**
 * Begins the run that undoes another.
 *
 * @returns its id
 * @throws UniferumError `conflict` when nothing is left to undo
 */
export type UndoRun = (db: Database, run: { id: string; title: string }, by: string) => Promise<string>;

/** What is known of a kind without its items' type. */
export type AnyRunKind = Pick<RunKind, 'kind' | 'label' | 'countsBytes' | 'undo'>;

/** States a kind of run. */
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
