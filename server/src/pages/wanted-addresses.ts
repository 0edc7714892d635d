import { extensionOfMime } from '@uniferum/core/intake';
import { originalAddress, renditionAddress } from '@uniferum/core/library';
import { baseOf, normalizeAddress, targetOf } from '@uniferum/core/pages';
import { findPageAddresses, type PageAddress } from '../copies/page-addresses.js';
import { StoreAddresses } from '../copies/store-addresses.js';
import { type AssetRow, findAssets } from '../library/asset-queries.js';
import { placeKey } from '../library/joints.js';
import { fileEnd } from '../recipes/file-end.js';
import { findRenditions } from '../recipes/queries.js';
import type { Executor } from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';
import type { AddressRow } from './follow-queries.js';

/** The addresses that pages are to have for some files: where a placement says so those in a store, else media addresses. */
export class WantedAddresses {
  readonly #inStores: ReadonlyMap<string, PageAddress>;
  readonly #stores: StoreAddresses;
  readonly #assets: ReadonlyMap<number, AssetRow>;
  /** How the addresses of renditions end. */
  readonly #ends: ReadonlyMap<string, string>;

  private constructor(
    inStores: ReadonlyMap<string, PageAddress>,
    stores: StoreAddresses,
    { assets, ends }: { assets: ReadonlyMap<number, AssetRow>; ends: ReadonlyMap<string, string> },
  ) {
    this.#inStores = inStores;
    this.#stores = stores;
    this.#assets = assets;
    this.#ends = ends;
  }

  static async read(db: Executor, assetIds: readonly number[]): Promise<WantedAddresses> {
    const rows = (await findAssets(db, assetIds)).filter(({ live }) => live !== null);
    const renditions = await findRenditions(
      db,
      rows.map(({ id }) => id),
    );
    return new WantedAddresses(await findPageAddresses(db, rows), await StoreAddresses.read(db), {
      assets: new Map(rows.map((row) => [row.id, row])),
      ends: new Map(renditions.map((one) => [placeKey({ ...one, asset: one.asset_id }), fileEnd(one)])),
    });
  }

  /** Whether a reference has the address that it should have. */
  isRight(row: AddressRow): boolean {
    const inStore = this.#inStores.get(keyOf(row));
    const target = targetOf(row.address, baseOf(row.base, row.url));
    if (!inStore) return target === null || this.#stores.find(target) === null;
    // The store may have another base address than it had.
    return target !== null && sha256Of(inStore.place) === row.place && bareOf(target) === bareOf(inStore.url);
  }

  /** The address that a reference should have instead; null where it is right, or its file is gone. */
  instead(row: AddressRow, mediaUrl: string): string | null {
    const asset = this.#assets.get(row.asset_id);
    if (!asset || this.isRight(row)) return null;
    const inStore = this.#inStores.get(keyOf(row));
    if (inStore) return inStore.url;
    if (row.recipe === null) return mediaUrl + originalAddress(asset.folder_path, asset.name);
    const end = row.variant ?? this.#ends.get(keyOf(row)) ?? extensionOfMime(asset.mime) ?? 'bin';
    return mediaUrl + renditionAddress(asset.folder_path, asset.address_stem, row.recipe, end);
  }
}

/** Without scheme, query and fragment: what tells objects apart. */
function bareOf(address: string): string {
  return normalizeAddress(address).replace(/^[a-z][a-z0-9+.-]*:|[?#].*$/gis, '');
}

function keyOf({ asset_id, recipe, variant }: AddressRow): string {
  return placeKey({ asset: asset_id, recipe: recipe ?? '', variant: variant ?? '' });
}
