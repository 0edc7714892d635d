import { COPY_STATES } from '@uniferum/core/copies';
import { type AssetCopy, originalAddress } from '@uniferum/core/library';
import Joi from 'joi';
import { findCopies } from '../library/blob-queries.js';
import { findWithholding } from '../library/folder-access.js';
import type { AssetField } from '../library/joints.js';
import { groupBy } from '../shared/group.js';
import { answer } from '../shared/schemas.js';
import { findCopiesOf } from './copy-queries.js';
import { describeStores, publicAddress } from './store-facts.js';

/** The copies of an asset's current original, in its answers. */
export function copiesField({ mediaUrl }: { mediaUrl: string }): AssetField<AssetCopy[]> {
  return {
    name: 'copies',
    schema: Joi.array().items(
      answer({
        store: Joi.string(),
        state: Joi.string().valid(...COPY_STATES),
        key: Joi.string(),
        url: Joi.string().uri().allow(null),
      }),
    ),
    absent: [],
    async read(db, rows) {
      const stores = await describeStores(db);
      const home = await findCopies(
        db,
        rows.map(({ sha256 }) => sha256),
      );
      const atHome = groupBy(home, ({ sha256 }) => sha256);
      const placed =
        stores.size === 0
          ? []
          : await findCopiesOf(
              db,
              rows.map(({ id }) => id),
            );
      const withheld = placed.length === 0 ? new Set() : await findWithholding(db, rows);
      const byAsset = groupBy(placed, ({ asset_id }) => asset_id);
      return new Map(
        rows.map((row) => {
          const url = mediaUrl + originalAddress(row.folder_path, row.name);
          const own = (atHome.get(row.sha256) ?? []).map(
            ({ store, store_key, damaged_at }): AssetCopy => ({
              ...{ store, state: damaged_at === null ? 'stored' : 'damaged' },
              ...{ key: store_key, url },
            }),
          );
          const elsewhere = (byAsset.get(row.id) ?? [])
            .filter(({ recipe, sha256 }) => recipe === '' && sha256 === row.sha256)
            .flatMap(({ store_id, state, store_key }): AssetCopy[] => {
              const facts = stores.get(store_id);
              if (!facts) return [];
              return [
                {
                  ...{ store: facts.store.name, state, key: store_key },
                  url: withheld.has(row.id) ? null : publicAddress(facts, store_key),
                },
              ];
            });
          return [row.id, [...own, ...elsewhere]];
        }),
      );
    },
  };
}
