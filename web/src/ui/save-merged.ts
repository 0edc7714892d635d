import { isUniferumApiError, type Tagged } from '@uniferum/client';
import { type EditConflict, mergeEdit } from '@uniferum/core/shared';

/** An edit: the values it began with, their entity tag, and the values as edited. */
export interface Edit<Fields> {
  base: Tagged<Fields>;
  mine: Fields;
}

/** Null when the edit is saved; otherwise the edit based on the current values, with the fields to be decided. */
export type Unresolved<Fields> = (Edit<Fields> & { conflicts: EditConflict<Fields>[] }) | null;

interface Target<Fields> {
  read: () => Promise<Tagged<Fields>>;
  /** Saves with `ifMatch`. */
  write: (edit: Edit<Fields>) => Promise<unknown>;
}

/** Others may keep saving in between. */
const MAX_ATTEMPTS = 5;

/**
 * Saves an edit without reverting what somebody else saved in the meantime. Changes to different fields are merged;
 * fields changed by both are returned undecided, and nothing is saved.
 *
 * @throws what `read` and `write` throw, except for stale states
 */
export async function saveMerged<Fields extends object>(
  edit: Edit<Fields>,
  { read, write }: Target<Fields>,
): Promise<Unresolved<Fields>> {
  let { base, mine } = edit;
  for (let attempt = 1; ; attempt += 1) {
    try {
      await write({ base, mine });
      return null;
    } catch (error) {
      if (!isStale(error) || attempt === MAX_ATTEMPTS) throw error;
    }
    const theirs = await read();
    const { change, conflicts } = mergeEdit(base.value, mine, theirs.value);
    const undecided = Object.fromEntries(conflicts.map((conflict) => [conflict.field, conflict.mine]));
    mine = { ...theirs.value, ...change, ...undecided };
    base = theirs;
    if (conflicts.length > 0) return { base, mine, conflicts };
  }
}

/** Tells whether a change failed because somebody else has changed the same thing since it was read. */
export function isStale(error: unknown): boolean {
  return isUniferumApiError(error) && error.status === 412;
}
