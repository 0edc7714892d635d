import type { StoredReference } from './document-queries.js';

/** A reference of a document with its row. */
export interface KnownReference extends StoredReference {
  id: number;
}

/** How the rows of a document become its references. Those that stay as they are occur in neither list. */
export interface ReferenceChanges {
  /** Rows that get new values. */
  kept: KnownReference[];
  added: StoredReference[];
  /** Rows that are to be deleted. */
  removed: number[];
}

/**
 * Compares the rows of a document with what was found in it now. A row stays that of its address: who has seen a
 * reference finds the same one by its id. In a document that was only rewritten, a row may get the address that replaced
 * its own.
 */
export function compareReferences(
  known: readonly KnownReference[],
  found: readonly StoredReference[],
  { isRewritten }: { isRewritten: boolean },
): ReferenceChanges {
  const changes: ReferenceChanges = { kept: [], added: [], removed: [] };
  const byAddress = new Map<string, KnownReference[]>();
  for (const row of [...known].reverse()) {
    const rows = byAddress.get(keyOf(row));
    if (rows) rows.push(row);
    else byAddress.set(keyOf(row), [row]);
  }
  const others: StoredReference[] = [];
  for (const one of found) {
    const row = byAddress.get(keyOf(one))?.pop();
    if (row === undefined) others.push(one);
    else if (!isSame(row, one)) changes.kept.push({ ...one, id: row.id });
  }
  const left = [...byAddress.values()].flat().sort((a, b) => a.id - b.id);
  const reused = isRewritten ? left.splice(0, others.length) : [];
  for (const [n, { id }] of reused.entries()) changes.kept.push({ ...(others[n] as StoredReference), id });
  changes.added.push(...others.slice(reused.length));
  changes.removed.push(...left.map(({ id }) => id));
  return changes;
}

function keyOf({ attribute, address }: StoredReference): string {
  return `${attribute} ${address}`;
}

function isSame(a: StoredReference, b: StoredReference): boolean {
  return (
    a.position === b.position &&
    a.state === b.state &&
    a.reason === b.reason &&
    a.place === b.place &&
    a.assetId === b.assetId &&
    a.recipe === b.recipe &&
    a.variant === b.variant
  );
}
