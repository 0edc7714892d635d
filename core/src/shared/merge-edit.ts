/** A field that two people changed to different values since it was read. */
export interface EditConflict<Fields> {
  field: keyof Fields & string;
  mine: unknown;
  theirs: unknown;
}

export interface MergedEdit<Fields> {
  /** My changes to fields that nobody else has changed. */
  change: Partial<Fields>;
  /** Fields changed by both, to different values. */
  conflicts: EditConflict<Fields>[];
}

/**
 * Merges an edit with changes that somebody else saved in the meantime (a three-way merge by field). Values are
 * compared as JSON.
 *
 * @param base the values when the edit began
 * @param mine the edited values
 * @param theirs the current values
 */
export function mergeEdit<Fields extends object>(
  base: Fields,
  mine: Fields,
  theirs: Fields,
): MergedEdit<Fields> {
  const change: Partial<Fields> = {};
  const conflicts: EditConflict<Fields>[] = [];
  for (const field of Object.keys(mine) as (keyof Fields & string)[]) {
    const isMineNew = !isSame(base[field], mine[field]) && !isSame(mine[field], theirs[field]);
    if (!isMineNew) continue;
    if (isSame(base[field], theirs[field])) change[field] = mine[field];
    else conflicts.push({ field, mine: mine[field], theirs: theirs[field] });
  }
  return { change, conflicts };
}

function isSame(one: unknown, other: unknown): boolean {
  return JSON.stringify(one) === JSON.stringify(other);
}
