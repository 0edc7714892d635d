import { objectAddress } from '@uniferum/core/connections';
import { normalizeAddress } from '@uniferum/core/pages';
import { findAssets } from '../library/asset-queries.js';
import { objectPlace, type StoreObject } from '../library/joints.js';
import type { Executor, Transaction } from '../shared/database.js';
import { groupBy } from '../shared/group.js';
import { type CopyRow, findCopiesByKey } from './copy-queries.js';
import { describeStores } from './store-facts.js';
import { insertStoreBases, listStoreBases, type StoreBase } from './store-queries.js';

interface KnownBase extends StoreBase {
  host: string;
}

/** Recognises the public addresses of objects, also those below a base address that a store had earlier. */
export class StoreAddresses {
  /** Without a scheme, normalised. */
  readonly #bases: KnownBase[];

  constructor(bases: readonly StoreBase[]) {
    this.#bases = bases
      .map(({ storeId, base }) => {
        const bare = withoutScheme(normalizeAddress(base));
        return { storeId, base: bare, host: bare.slice(0, bare.indexOf('/')) };
      })
      // Of two that fit, the one that says more.
      .sort((a, b) => b.base.length - a.base.length);
  }

  static async read(db: Executor): Promise<StoreAddresses> {
    return new StoreAddresses([...(await readBases(db)), ...(await listStoreBases(db))]);
  }

  /** Tells quickly whether an address, resolved or not, could be one of an object. */
  mayLead(address: string): boolean {
    return this.#bases.some(({ host }) => address.toLowerCase().includes(host));
  }

  /** @param target an absolute, normalised address */
  find(target: string): StoreObject | null {
    const bare = withoutScheme(target);
    const found = this.#bases.find(({ base }) => bare.startsWith(base));
    if (!found) return null;
    const path = bare.slice(found.base.length).replace(/[?#].*$/s, '');
    try {
      const key = decodeURIComponent(path);
      return key === '' ? null : { storeId: found.storeId, key };
    } catch {
      // Not UTF-8: no key of ours is.
      return null;
    }
  }
}

/**
 * Remembers the base addresses of today, before pages are given addresses below them.
 *
 * @returns the stores that have another one than before
 */
export async function rememberBases(tx: Transaction): Promise<Set<number>> {
  const known = new Set((await listStoreBases(tx)).map(({ storeId, base }) => `${storeId} ${base}`));
  const added = (await readBases(tx)).filter(({ storeId, base }) => !known.has(`${storeId} ${base}`));
  await insertStoreBases(tx, added);
  return new Set(added.map(({ storeId }) => storeId));
}

/** A file that an object is, or was, a copy of. */
export type PlacedFile = Pick<CopyRow, 'asset_id' | 'recipe' | 'variant'> & { isLive: boolean };

/** Finds what objects are copies of, by {@link objectPlace}; unknown ones are left out. */
export async function findPlacedFiles(
  db: Executor,
  objects: readonly StoreObject[],
): Promise<Map<string, PlacedFile>> {
  const copies: CopyRow[] = [];
  for (const [storeId, some] of groupBy(objects, (object) => object.storeId))
    copies.push(
      ...(await findCopiesByKey(
        db,
        storeId,
        some.map(({ key }) => key),
      )),
    );
  const assets = await findAssets(db, [...new Set(copies.map(({ asset_id }) => asset_id))]);
  const live = new Set(assets.filter((asset) => asset.live !== null).map(({ id }) => id));
  return new Map(
    copies.map(({ store_id, store_key, asset_id, recipe, variant }) => [
      objectPlace({ storeId: store_id, key: store_key }),
      { asset_id, recipe, variant, isLive: live.has(asset_id) },
    ]),
  );
}

async function readBases(db: Executor): Promise<StoreBase[]> {
  return [...(await describeStores(db)).values()].flatMap(({ store, settings, publicUrl }) =>
    publicUrl === null ? [] : [{ storeId: store.id, base: objectAddress(publicUrl, settings.prefix) }],
  );
}

function withoutScheme(address: string): string {
  return address.replace(/^[a-z][a-z0-9+.-]*:\/\//i, '');
}
