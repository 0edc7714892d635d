import { joinPath, type MediaAddress, parseMediaAddress, pathChain } from '@uniferum/core/library';
import { baseOf, scopeOf, splitAddress, targetOf } from '@uniferum/core/pages';
import { findPlacedFiles, type PlacedFile, StoreAddresses } from '../copies/store-addresses.js';
import { findAssetByName, findAssetIdByStem } from '../library/asset-queries.js';
import { findForwardedPaths } from '../library/folder-queries.js';
import { objectPlace, type StoreObject } from '../library/joints.js';
import { findAssetIds } from '../library/locate-queries.js';
import { listRecipes } from '../recipes/recipe-queries.js';
import { findOldAddress } from '../serving/old-addresses.js';
import type { Addresses } from '../shared/config.js';
import type { Executor } from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';
import type { StoredReference } from './document-queries.js';
import { findSiteObjects } from './site-assets/queries.js';

/** A reference as it was read. */
export interface FoundAddress {
  from: number;
  attribute: string;
  address: string;
}

/** The document that a reference is in. */
export interface Surroundings {
  /** Its address; null when that isn't known. */
  url: string | null;
  base: string | null;
}

const MAX_ADDRESS = 2000;
const MAX_ATTRIBUTE = 60;
/** Longer than those of any recipe. */
const MAX_RECIPE = 64;
const MAX_VARIANT = 40;

/** Percent-encoded, it could be any word. */
const MAY_BE_MEDIA = /media|%/i;

/** Finds out where the addresses of documents lead. One of these serves one run item: what it looked up it remembers. */
export class ReferenceResolver {
  readonly #db: Executor;
  readonly #hosts: ReadonlySet<string | null>;
  readonly #assets = new Map<string, Promise<number | null>>();
  readonly #parsed = new Map<string, MediaAddress | null>();
  readonly #hashes = new Map<string, string>();
  #recipes: Promise<ReadonlySet<string>> | null = null;
  #stores: Promise<StoreAddresses> | null = null;
  readonly #objects = new Map<string, PlacedFile | 'site-asset' | null>();

  constructor(db: Executor, { publicUrl, mediaUrl }: Addresses) {
    this.#db = db;
    this.#hosts = new Set([publicUrl, mediaUrl].map(hostOf));
  }

  /**
   * Looks up where the references of many documents lead, with a number of queries that does not depend on how many there
   * are. Only what may have moved is looked up one by one, when it is resolved.
   */
  async prefetch(
    documents: readonly { references: readonly FoundAddress[]; place: Surroundings }[],
  ): Promise<void> {
    await this.#prefetchObjects(documents);
    const media = new Map<string, MediaAddress>();
    for (const { references, place } of documents)
      for (const { address } of references) {
        const one = this.#mediaAddress(address, place);
        if (one !== null && !this.#assets.has(placeOf(one))) media.set(placeOf(one), one);
      }
    const originals = [...media.values()].filter((one) => one.kind === 'original');
    const renditions = [...media.values()].filter((one) => one.kind === 'rendition');
    const byName = await findAssetIds(this.#db, 'name', originals);
    const byStem = await findAssetIds(
      this.#db,
      'stem',
      renditions.map(({ folder, stem }) => ({ folder, name: stem })),
    );
    for (const [place, one] of media) {
      const id = one.kind === 'original' ? byName.get(place) : byStem.get(joinPath(one.folder, one.stem));
      if (id !== undefined) this.#assets.set(place, Promise.resolve(id));
    }
    const missing = [...media].filter(([place]) => !this.#assets.has(place));
    if (missing.length === 0) return;
    const oldPaths = ([place, { folder }]: [string, MediaAddress]) => [
      place,
      ...pathChain(folder).map((step) => `${step}/`),
    ];
    const forwarded = await findForwardedPaths(this.#db, [...new Set(missing.flatMap(oldPaths))]);
    for (const one of missing)
      if (!oldPaths(one).some((path) => forwarded.has(path))) this.#assets.set(one[0], Promise.resolve(null));
  }

  async resolve(
    { from, attribute, address }: FoundAddress,
    document: Surroundings,
  ): Promise<StoredReference> {
    const reference: StoredReference = {
      position: from,
      attribute: attribute.slice(0, MAX_ATTRIBUTE),
      address: address.slice(0, MAX_ADDRESS),
      ...{ state: 'outside', reason: null, place: null, assetId: null, recipe: null, variant: null },
    };
    const media = this.#mediaAddress(address, document);
    if (media === null) return (await this.#resolveObject(reference, document)) ?? reference;
    const place = placeOf(media);
    const assetId = await this.#assetAt(place, media);
    const recipe = media.kind === 'rendition' ? media.recipe.slice(0, MAX_RECIPE) : null;
    const variant = media.kind === 'rendition' ? (media.variant?.slice(0, MAX_VARIANT) ?? null) : null;
    const found = { ...reference, place: this.#hashOf(place), assetId, recipe, variant };
    if (assetId === null) return { ...found, state: 'broken', reason: 'unknown' };
    if (recipe !== null && !(await this.#hasRecipe(recipe)))
      return { ...found, state: 'broken', reason: 'no-recipe' };
    return { ...found, state: 'found' };
  }

  /** An address in a store is a use of the file that is, or was, stored there. */
  async #resolveObject(reference: StoredReference, document: Surroundings): Promise<StoredReference | null> {
    const object = this.#objectAt(await this.#readStores(), reference.address, document);
    if (object === null) return null;
    const place = objectPlace(object);
    if (!this.#objects.has(place)) await this.#findObjects([object]);
    const file = this.#objects.get(place) ?? null;
    const found = { ...reference, place: this.#hashOf(place) };
    if (file === 'site-asset') return found;
    if (file === null) return { ...found, state: 'broken', reason: 'unknown' };
    const { asset_id, recipe, variant, isLive } = file;
    return {
      ...{ ...found, assetId: asset_id, recipe: recipe || null, variant: variant || null },
      ...(isLive ? { state: 'found' } : { state: 'broken', reason: 'in-bin' }),
    };
  }

  async #prefetchObjects(
    documents: readonly { references: readonly FoundAddress[]; place: Surroundings }[],
  ): Promise<void> {
    const stores = await this.#readStores();
    const objects = new Map<string, StoreObject>();
    for (const { references, place } of documents)
      for (const { address } of references) {
        const object = this.#objectAt(stores, address, place);
        if (object !== null && !this.#objects.has(objectPlace(object)))
          objects.set(objectPlace(object), object);
      }
    await this.#findObjects([...objects.values()]);
  }

  async #findObjects(objects: readonly StoreObject[]): Promise<void> {
    if (objects.length === 0) return;
    const files = await findPlacedFiles(this.#db, objects);
    const ofSite = new Set((await findSiteObjects(this.#db, objects)).map(objectPlace));
    for (const object of objects) {
      const place = objectPlace(object);
      this.#objects.set(place, files.get(place) ?? (ofSite.has(place) ? 'site-asset' : null));
    }
  }

  #readStores(): Promise<StoreAddresses> {
    this.#stores ??= StoreAddresses.read(this.#db);
    return this.#stores;
  }

  #objectAt(stores: StoreAddresses, address: string, { url, base }: Surroundings): StoreObject | null {
    // Most addresses lead elsewhere, and are not worth being resolved.
    if (!stores.mayLead(address) && (base === null || !stores.mayLead(base))) return null;
    const target = targetOf(address, baseOf(base, url));
    return target === null ? null : stores.find(target);
  }

  /** The same address is looked at when it is fetched and when it is resolved, and is often in many documents. */
  #mediaAddress(address: string, place: Surroundings): MediaAddress | null {
    if (!mayBeMedia(address, place)) return null;
    const scope = place.base === null ? scopeOf(address, place.url) : `${place.url ?? ''} ${place.base}`;
    const key = `${scope} ${address}`;
    let known = this.#parsed.get(key);
    if (known === undefined) {
      known = this.#parseAddress(address, place);
      this.#parsed.set(key, known);
    }
    return known;
  }

  /** The media address that a reference leads to: on our hosts, or on the host of a page that serves our media as its own. */
  #parseAddress(address: string, { url, base }: Surroundings): MediaAddress | null {
    const against = baseOf(base, url);
    const target = targetOf(address, against) ?? (address.startsWith('/media/') ? address : null);
    if (target === null) return null;
    const { scheme, authority, path } = splitAddress(target);
    const isOurs = authority === undefined || this.#hosts.has(hostOf(`${scheme}://${authority}`));
    const isOfPage = url !== null && authority === splitAddress(url).authority;
    if (!path.startsWith('/media/') || !(isOurs || isOfPage)) return null;
    try {
      return parseMediaAddress(decodeURIComponent(path.slice('/media'.length)));
    } catch {
      // Not UTF-8: no address of ours is.
      return null;
    }
  }

  #hashOf(place: string): string {
    const known = this.#hashes.get(place);
    if (known !== undefined) return known;
    const hash = sha256Of(place);
    this.#hashes.set(place, hash);
    return hash;
  }

  #assetAt(place: string, media: MediaAddress): Promise<number | null> {
    const known = this.#assets.get(place);
    if (known) return known;
    const looked = this.#lookUp(media);
    this.#assets.set(place, looked);
    return looked;
  }

  async #lookUp(media: MediaAddress): Promise<number | null> {
    if (media.kind === 'original') {
      const asset = await findAssetByName(this.#db, media.folder, media.name);
      if (asset) return asset.id;
    } else {
      const id = await findAssetIdByStem(this.#db, media.folder, media.stem);
      if (id !== null) return Number(id);
    }
    return (await findOldAddress(this.#db, media))?.id ?? null;
  }

  async #hasRecipe(name: string): Promise<boolean> {
    this.#recipes ??= listRecipes(this.#db).then((recipes) => new Set(recipes.map(({ name }) => name)));
    return (await this.#recipes).has(name);
  }
}

/** The key of a media address, as old addresses are stored. */
export function placeOf(media: MediaAddress): string {
  return joinPath(media.folder, media.kind === 'original' ? media.name : `${media.stem}~`);
}

/** Most addresses lead elsewhere, and can't lead to media whatever they are resolved against. */
function mayBeMedia(address: string, { url, base }: Surroundings): boolean {
  return (
    MAY_BE_MEDIA.test(address) ||
    (url !== null && MAY_BE_MEDIA.test(url)) ||
    (base !== null && MAY_BE_MEDIA.test(base))
  );
}

/** Null for what no browser takes for an address. */
function hostOf(url: string): string | null {
  return URL.canParse(url) ? new URL(url).host : null;
}
