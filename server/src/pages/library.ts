import { type UsedCondition, usedFilterField } from '@uniferum/core/pages';
import Joi from 'joi';
import { findAssets } from '../library/asset-queries.js';
import { addressKeys } from '../library/free-address.js';
import type { AssetField, AssetGuard, AssetListener, FilterJoint, Objection } from '../library/joints.js';
import type { Transaction } from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';
import { breakUses, claimReferences, forgetAssets, mendUses, readUses } from './reference-queries.js';

/** How often an asset is used on pages. */
export const usesField: AssetField<number> = {
  name: 'uses',
  schema: Joi.number().integer().min(0),
  absent: 0,
  read: (db, rows) =>
    readUses(
      db,
      rows.map(({ id }) => id),
    ),
};

/** What pages show is not deleted without being asked twice. */
export const usesGuard: AssetGuard = {
  name: 'pages',
  async judge(tx, changes) {
    const binned = changes.filter((change) => change.kind === 'bin');
    const uses = await readUses(
      tx,
      binned.map(({ row }) => row.id),
    );
    return binned.flatMap(({ row, isForced = false }): Objection[] => {
      const count = uses.get(row.id) ?? 0;
      if (count === 0) return [];
      const places = count === 1 ? '1 place' : `${count.toLocaleString('en-GB')} places`;
      return [
        {
          asset: String(row.id),
          name: row.name,
          reason: {
            code: 'in-use',
            message: `${row.name} is used in ${places}, which would break. Replace it there first, or delete it with force.`,
            limit: 0,
            actual: count,
            folder: null,
          },
          problem: 'conflict',
          isBlocking: !isForced,
        },
      ];
    });
  },
};

/** Keeps what is known of references in step with the library. */
export const usesListener: AssetListener = {
  async arrived(tx, assets) {
    await claimFor(
      tx,
      assets.map(({ id }) => Number(id)),
    );
  },
  async changed(tx, before, after) {
    const isMoved = before.folder_path !== after.folder_path || before.name !== after.name;
    if (isMoved) await claimFor(tx, [after.id]);
  },
  async binned(tx, row) {
    await breakUses(tx, row.id);
  },
  async restored(tx, row) {
    await mendUses(tx, row.id);
    await claimFor(tx, [row.id]);
  },
  async purged(tx, ids) {
    await forgetAssets(tx, ids);
  },
};

/** References that led nowhere find what is at their address now. */
async function claimFor(tx: Transaction, ids: readonly number[]): Promise<void> {
  const assetAt = new Map<string, number>();
  for (const { id, folder_path, name, address_stem } of await findAssets(tx, ids))
    for (const key of addressKeys(folder_path, { name, addressStem: address_stem }))
      assetAt.set(sha256Of(key), id);
  await claimReferences(tx, assetAt);
}

/** Implements `used:no` and `used>5`. */
export const usedFilter: FilterJoint<UsedCondition> = {
  field: usedFilterField,
  toSql({ least, most }) {
    const limit = most === null ? '' : ' AND asset_uses.uses <= ?';
    const values = most === null ? [] : [most];
    if (least > 0)
      return {
        sql: `EXISTS (SELECT 1 FROM asset_uses WHERE asset_uses.asset_id = assets.id AND asset_uses.uses >= ?${limit})`,
        values: [least, ...values],
      };
    // Without an entry it is never used.
    return {
      sql: 'NOT EXISTS (SELECT 1 FROM asset_uses WHERE asset_uses.asset_id = assets.id AND asset_uses.uses > ?)',
      values: [most ?? 0xffffffff],
    };
  },
  count: async () => null,
};
