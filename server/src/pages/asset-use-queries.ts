import { changeExpanded, selectExpanded, type Transaction } from '../shared/database.js';
import { groupBy } from '../shared/group.js';

/** How the numbers of uses of assets change. What is taken and given back again is no change. */
export class UseChanges {
  readonly #byAsset = new Map<number, number>();

  add(assetId: number, uses: number): this {
    this.#byAsset.set(assetId, (this.#byAsset.get(assetId) ?? 0) + uses);
    return this;
  }

  /** What changes, in the order of ids. */
  get entries(): [assetId: number, uses: number][] {
    return [...this.#byAsset].filter(([, uses]) => uses !== 0).sort(([a], [b]) => a - b);
  }
}

/** Changes the numbers of uses of assets. They never fall below zero. */
export async function addUses(tx: Transaction, changes: UseChanges): Promise<void> {
  const { entries } = changes;
  if (entries.length === 0) return;
  const ids = entries.map(([id]) => id);
  // A fixed order prevents deadlocks.
  await selectExpanded(
    tx,
    'SELECT asset_id FROM asset_uses WHERE asset_id IN (?) ORDER BY asset_id FOR UPDATE',
    [ids],
  );
  const more = entries.filter(([, uses]) => uses > 0);
  if (more.length > 0)
    await changeExpanded(
      tx,
      'INSERT INTO asset_uses (asset_id, uses) VALUES ? ON DUPLICATE KEY UPDATE uses = uses + VALUES(uses)',
      [more],
    );
  const fewer = groupBy(
    entries.filter(([, uses]) => uses < 0),
    ([, uses]) => -uses,
  );
  for (const [uses, some] of fewer)
    await changeExpanded(tx, 'UPDATE asset_uses SET uses = uses - LEAST(uses, ?) WHERE asset_id IN (?)', [
      uses,
      some.map(([id]) => id),
    ]);
}
