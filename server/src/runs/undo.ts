import { isActive } from '@uniferum/core/runs';
import type { Database } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { findRun } from './queries.js';
import type { AnyRunKind } from './run-kind.js';

/**
 * Starts undoing the changes of a run.
 *
 * @returns the id of the undo run
 * @throws UniferumError `not-found`, `conflict` when it cannot be undone
 */
export async function beginUndo(
  db: Database,
  kinds: readonly AnyRunKind[],
  id: string,
  by: string,
): Promise<string> {
  const run = await findRun(db, id);
  if (run === null) throw notFound(`Run ${id}`);
  const undo = kinds.find(({ kind }) => kind === run.kind)?.undo;
  if (!undo) throw new UniferumError('conflict', `"${run.title}" can't be undone.`);
  if (isActive(run.state))
    throw new UniferumError('conflict', `"${run.title}" is still running. Stop it first.`);
  return undo(db, { id, title: run.title }, by);
}
